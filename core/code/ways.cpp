#include "core/code/ways.h"

namespace lantern {

Ways ways_on(const FlowGraph& flow) {
    Ways ways(flow.nodes().size());
    for (std::uint32_t i = 0; i < ways.size(); ++i) {
        const FlowGraph::Node& node = flow.nodes()[i];
        for (std::uint32_t to : {node.next, node.branch})
            if (to != FlowGraph::kNone) ways[i].push_back(to);
        if (node.is_computed && node.is_jump())
            ways[i].insert(ways[i].end(), flow.computed_targets().begin(),
                           flow.computed_targets().end());
    }
    return ways;
}

Ways ways_back(const FlowGraph& flow) {
    Ways on = ways_on(flow), back(on.size());
    for (std::uint32_t from = 0; from < on.size(); ++from)
        for (std::uint32_t to : on[from]) back[to].push_back(from);
    return back;
}

}  // namespace lantern
