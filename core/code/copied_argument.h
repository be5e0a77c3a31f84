// Where a call's argument is a plain copy of another register that is written again before the
// call:
//
//     mov rcx, rbx          the argument is what rbx held here,
//     mov rbx, [rsp + 8]
//     call …                and not what it holds here
//
// A compiler that records "what rbx holds" of such a call (clang does) records something false.
#pragma once

#include <cstdint>

#include "core/code/kept_code.h"

namespace lantern {

// `call`: the node of the call; both registers by their DWARF numbers. False where it cannot be
// told.
bool is_copy_of_what_is_gone(KeptCode& code, std::uint32_t call, unsigned argument,
                             unsigned copied);

}  // namespace lantern
