#include "core/code/ways.h"

#include <algorithm>

namespace lantern {

namespace {

void for_each_next(const FlowGraph& flow, std::uint32_t from, auto lead_to) {
    const FlowGraph::Node& node = flow.nodes()[from];
    for (std::uint32_t to : {node.next, node.branch})
        if (to != FlowGraph::kNone) lead_to(to);
    if (node.jumps_by_value()) std::ranges::for_each(flow.computed_targets(), lead_to);
}

}  // namespace

Ways ways_on(const FlowGraph& flow) {
    Ways ways(flow.nodes().size());
    for (std::uint32_t i = 0; i < ways.size(); ++i)
        for_each_next(flow, i, [&](std::uint32_t to) { ways[i].push_back(to); });
    return ways;
}

std::vector<bool> led_to_from(const FlowGraph& flow, const std::vector<std::uint32_t>& nodes) {
    return led_to_from(flow, nodes, [](std::uint32_t) { return false; });
}

std::vector<bool> led_to_from(const FlowGraph& flow, const std::vector<std::uint32_t>& nodes,
                              const std::function<bool(std::uint32_t)>& ends) {
    std::vector<bool> led_to(flow.nodes().size());
    std::vector<std::uint32_t> next = nodes;
    while (!next.empty()) {
        std::uint32_t at = next.back();
        next.pop_back();
        if (ends(at)) continue;
        for_each_next(flow, at, [&](std::uint32_t to) {
            if (led_to[to]) return;
            led_to[to] = true;
            next.push_back(to);
        });
    }
    return led_to;
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
