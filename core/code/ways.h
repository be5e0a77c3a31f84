// Which instructions lead to which, and from which each is come to.
#pragma once

#include "core/code/flow_graph.h"

namespace lantern {

using Ways = std::vector<std::vector<std::uint32_t>>;  // by node: those that it leads to

Ways ways_on(const FlowGraph& flow);
Ways ways_back(const FlowGraph& flow);  // by node: those that lead to it

}  // namespace lantern
