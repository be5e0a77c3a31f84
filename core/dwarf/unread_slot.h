// Numbers that were put aside on the stack, where the compiler's account leaves out that they are
// to be read there. clang up to version 14 at least writes so of a variable that is computed from
// such a number:
//
//     breg rsp+56; convert to 8 bits; convert to 32 bits; stack value
//
// which, word for word, is a part of the stack's address. What is meant reads at rsp+56 first.
#pragma once

#include <optional>
#include <vector>

#include "core/support/byte_reader.h"

namespace lantern::dwarf {

struct UnreadSlot {
    std::vector<std::byte> read;  // the expression that reads there first
    // The slot may be narrower than what is read: only the lower bits are to be trusted, and an
    // operation asks for the upper ones.
    bool needs_upper_bits = false;
    bool may_be_address = false;  // only sums: it may mean the address of something on the stack
};

// Nothing for an expression that does not begin with a place on the stack and compute a number from
// that alone. Never throws.
std::optional<UnreadSlot> unread_slot(ByteSpan expression);

}  // namespace lantern::dwarf
