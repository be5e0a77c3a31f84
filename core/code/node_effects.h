// What the instruction of a node does, from the bytes of the file.
#pragma once

#include "core/code/flow_graph.h"
#include "core/machine/effects.h"

namespace lantern {

// Nothing where the file does not hold them.
std::optional<Effects> effects_of(const FlowGraph::Node& node, const ModuleSymbols& symbols);

}  // namespace lantern
