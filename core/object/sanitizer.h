// The compilers' sanitizers (-fsanitize=…): checks that are built into a program, with a library
// that reports what they find.
#pragma once

#include <string_view>

namespace lantern {

class ElfFile;

struct Sanitizer {
    std::string_view name;              // "AddressSanitizer", as its reports say
    std::string_view options_variable;  // of the environment: "ASAN_OPTIONS"
    bool brings_allocator = false;
    bool checks_leaks = false;  // at the end of the program
};

// The one a program is built with, by what it asks of that library or brings of it; of several the
// one that reports. Null: none.
const Sanitizer* sanitizer_of(const ElfFile& elf);

}  // namespace lantern
