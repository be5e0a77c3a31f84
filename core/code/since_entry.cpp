#include "core/code/since_entry.h"

#include <algorithm>

namespace lantern {

bool holds_since_entry(KeptCode& code, std::uint32_t node, unsigned dwarf_number) {
    const FlowGraph& flow = code.flow();
    if (!flow.is_complete() || node == FlowGraph::kNone) return false;
    const Ways& before = code.ways_back();
    const auto& effects = code.effects();
    RegisterSet lost = lost_by_a_call();
    auto may_write = [&](std::uint32_t each) {
        return !effects[each] || effects[each]->writes.has(dwarf_number) ||
               (flow.nodes()[each].kind == Instruction::Kind::call && lost.has(dwarf_number));
    };
    std::vector<bool> seen(before.size());
    std::vector<std::uint32_t> next{node};
    seen[node] = true;
    while (!next.empty()) {
        std::uint32_t at = next.back();
        next.pop_back();
        bool is_handler = std::ranges::find(flow.landings(), at) != flow.landings().end();
        if (is_handler || (before[at].empty() && at != flow.entry())) return false;
        for (std::uint32_t each : before[at]) {
            if (seen[each]) continue;
            if (may_write(each)) return false;
            seen[each] = true;
            next.push_back(each);
        }
    }
    return true;
}

bool may_hold_since_entry(KeptCode& code, std::uint32_t node, unsigned dwarf_number) {
    const FlowGraph& flow = code.flow();
    const auto& effects = code.effects();
    std::vector<bool> reached(flow.nodes().size());
    std::vector<std::uint32_t> work;
    auto reach = [&](std::uint32_t next) {
        if (next == FlowGraph::kNone || reached[next]) return;
        reached[next] = true;
        work.push_back(next);
    };
    reach(flow.entry());
    while (!work.empty()) {
        std::uint32_t at = work.back();
        work.pop_back();
        if (at == node) return true;
        if (!effects[at] || effects[at]->writes.has(dwarf_number)) continue;
        const FlowGraph::Node& here = flow.nodes()[at];
        for (std::uint32_t next : {here.next, here.branch, here.landing}) reach(next);
        if (const auto* targets = flow.targets_of(here)) std::ranges::for_each(*targets, reach);
    }
    return false;
}

}  // namespace lantern
