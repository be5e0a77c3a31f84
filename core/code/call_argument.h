// What a register holds that is given to a call, as far as the straight line before the call tells:
//
//     mov rdi, rbx          a copy of a register that still holds it,
//     lea rdx, [rbx + 8]    so much more than that,
//     mov esi, 7            a constant,
//     lea rdi, [rip + 99]   an address of the program,
//     mov rcx, r12          or a copy of a register that does not hold it any more
//     mov r12, [rsp + 8]
//     call …
//
// Of the last a compiler may record "what r12 holds" (clang does), which is false then.
#pragma once

#include <cstdint>
#include <optional>

#include "core/code/kept_code.h"

namespace lantern {

struct CallArgument {
    std::optional<unsigned> copied;      // the register (DWARF number); none: only `plus` is meant
    std::uint64_t plus = 0;              // what was added to it
    bool is_gone = false;                // that register has been written since
    std::optional<FileAddress> address;  // that it is: nothing else is meant then
    unsigned size = 8;                   // bytes that were kept, 4 or 8: the upper ones are 0
};

// `call`: the node of the call; `argument`: the register that is given, by its DWARF number.
// Nothing where it is made otherwise, or that cannot be told.
std::optional<CallArgument> call_argument(KeptCode& code, std::uint32_t call, unsigned argument);

// Made of what lies in memory and of more, as in `addss xmm0, [rsp + 8]` or `movsxd rdi, [rsp]`.
// clang records of such a one "what lies there". False as well where that cannot be told.
bool is_computed_from_memory(KeptCode& code, std::uint32_t call, unsigned argument);

}  // namespace lantern
