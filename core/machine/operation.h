// What kind of work an instruction does, as far as it tells how a compiler has put a loop or a
// choice together. (Decoding by Zydis.)
#pragma once

#include <cstdint>
#include <optional>

#include "core/support/byte_reader.h"

namespace lantern {

struct Operation {
    // It adds a number to a register, and does nothing else: `add rdx, 16`, `lea rax, [rax+8]`.
    struct Step {
        unsigned dwarf_number = 0;
        std::int64_t amount = 0;
    };
    std::optional<Step> step;
    // It computes with several numbers of a vector register at once. Moves do not count, nor do
    // those that only put numbers elsewhere, or combine a register with itself.
    unsigned vector_size = 0;  // bytes; 0: it does not
    unsigned lane_size = 0;    // bytes of each number; 0: the bits are all the same to it
    // Those are whole numbers, and it is none of the shifts that single numbers of other kinds are
    // worked on with too.
    bool of_whole_numbers = false;
    // A choice without a jump: a conditional move.
    bool chooses = false;
};

// Nothing if the bytes are no instruction or are cut off.
std::optional<Operation> operation_of(ByteSpan bytes);

}  // namespace lantern
