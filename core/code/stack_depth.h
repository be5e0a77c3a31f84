// How far down the stack a function's own code reaches.
#pragma once

#include <cstdint>
#include <optional>

#include "core/code/flow_graph.h"

namespace lantern {

// The bytes below the return address, at most: what it pushes and reserves, not what it calls, nor
// the 128 bytes below that a function without calls may use. Nothing where the amount is computed,
// or where two ways to one instruction do not agree. The symbols are borrowed for the call.
std::optional<std::uint64_t> stack_depth(const FlowGraph& flow, const ModuleSymbols& symbols);

}  // namespace lantern
