// The words of --guard, --page and --keep-freed.
#pragma once

#include <span>
#include <string>
#include <string_view>

#include "core/session/heap_launch.h"

namespace lantern::cli {

struct HeapOption {
    const char* name;                                     // without its dashes
    bool (*take)(std::string_view text, HeapWish& wish);  // false: the text is none of its words
    const char* example;
};
std::span<const HeapOption> heap_options();

// The library that is put in front of the allocator: beside this program, or where it is installed
// to.
std::string heap_library();

}  // namespace lantern::cli
