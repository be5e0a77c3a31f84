// The calls that led to a request, by the call-frame information of the modules that are loaded
// (DWARF 5 §6.4, as .eh_frame keeps it). What holds at an address is read once and kept.
#pragma once

#include <cstddef>
#include <cstdint>

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

// Where each call returns to, the innermost first; at most so many. Returns how many.
std::size_t calls_up_from(const Caller& caller, std::uint64_t* into, std::size_t most);
// A library is gone: another may come to lie at its addresses.
void forget_rules();

}  // namespace lantern::heap_library
