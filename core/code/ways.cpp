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

bool leads_on_to(const Blocks& blocks, std::uint32_t from, std::uint32_t barrier,
                 const std::function<bool(std::uint32_t)>& is_wanted) {
    std::vector<bool> seen(blocks.all().size());
    std::vector<std::uint32_t> next{from};
    while (!next.empty()) {
        std::uint32_t at = next.back();
        next.pop_back();
        for (std::uint32_t to : blocks.all()[at].to) {
            if (to == barrier || seen[to]) continue;
            if (is_wanted(to)) return true;
            seen[to] = true;
            next.push_back(to);
        }
    }
    return false;
}

}  // namespace lantern
