// Which instructions lead to which, and from which each is come to.
#pragma once

#include <functional>

#include "core/code/blocks.h"

namespace lantern {

using Ways = std::vector<std::vector<std::uint32_t>>;  // by node: those that it leads to

Ways ways_on(const FlowGraph& flow);
Ways ways_back(const FlowGraph& flow);  // by node: those that lead to it

// By node: whether some way leads to it from one of those, themselves not included. The second:
// none that goes on behind one that `ends` it.
std::vector<bool> led_to_from(const FlowGraph& flow, const std::vector<std::uint32_t>& nodes);
std::vector<bool> led_to_from(const FlowGraph& flow, const std::vector<std::uint32_t>& nodes,
                              const std::function<bool(std::uint32_t)>& ends);

// Whether some way leads from the block on to a wanted one, itself perhaps, without coming to
// `barrier` (kNone: none is forbidden).
bool leads_on_to(const Blocks& blocks, std::uint32_t from, std::uint32_t barrier,
                 const std::function<bool(std::uint32_t)>& is_wanted);

}  // namespace lantern
