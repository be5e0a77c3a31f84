// A location expression in words, without a process: "in rax", "in the frame", "split: 8 bytes in
// rdi, 8 bytes kept nowhere".
#pragma once

#include <string>

#include "core/dwarf/location_list.h"

namespace lantern {

// Empty for an expression that does not parse.
std::string place_text(ByteSpan expression, const dwarf::Unit* unit);

enum class PlaceKind { nowhere, in_register, in_memory, constant, computed, split };
PlaceKind place_kind(ByteSpan expression, const dwarf::Unit* unit);

}  // namespace lantern
