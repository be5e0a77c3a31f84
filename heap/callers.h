// The calls that led to a request, by the call-frame information of the modules that are loaded
// (DWARF 5 §6.4, as .eh_frame keeps it). What holds at an address is read once and kept.
#pragma once

#include <cstddef>
#include <cstdint>

#include "heap/tables.h"

namespace lantern::heap_library {

// Where a function that the program calls has been called from.
struct Caller {
    std::uint64_t back;   // the address it returns to
    std::uint64_t stack;  // the stack pointer there
    std::uint64_t base;   // rbp there
};
// In a function of the library that is compiled with a frame pointer.
#define LANTERN_CALLER                                                    \
    (::lantern::heap_library::Caller{                                     \
        reinterpret_cast<std::uint64_t>(__builtin_return_address(0)),     \
        reinterpret_cast<std::uint64_t>(__builtin_frame_address(0)) + 16, \
        *static_cast<std::uint64_t*>(__builtin_frame_address(0))})

// A way up the stack, and each word of the stack that decided it: as long as these are the same, so
// is the way.
struct WayUp {
    static constexpr std::size_t kMost = heap_tables::kMostFrames;
    struct Word {
        std::uint64_t address, value;
    };
    std::uint64_t calls[kMost];  // where each returns to, the innermost first
    std::size_t count = 0;
    Word words[3 * kMost];
    std::size_t words_count = 0;
    bool needs_base = false;  // the caller's rbp decided too

    void read(std::uint64_t address, std::uint64_t value) {
        words[words_count++] = {address, value};
    }
};
void find_way_up(const Caller& caller, WayUp& way);
// A library is gone: another may come to lie at its addresses.
void forget_rules();
// How often that was so: what was concluded from the rules before it holds no more.
std::uint32_t rules_generation();

}  // namespace lantern::heap_library
