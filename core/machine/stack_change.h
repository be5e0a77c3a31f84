// What one instruction does to the stack pointer, as far as that is the same each time it runs.
// (Decoding by Zydis.)
#pragma once

#include <cstdint>

#include "core/support/byte_reader.h"

namespace lantern {

struct StackChange {
    enum class Kind {
        none,
        adds,              // `amount` bytes: a push adds less than nothing
        aligns,            // takes away less than `amount`
        to_frame,          // becomes the frame pointer, and `amount` more
        into_frame,        // stays, and the frame pointer becomes it
        takes_over_frame,  // as to_frame; and the frame pointer is the caller's again
        unknown,           // or no instruction
    } kind = Kind::none;
    std::int64_t amount = 0;
};

// A call comes back with the stack as it was; a return ends what there is to tell.
StackChange stack_change(ByteSpan bytes);

}  // namespace lantern
