#include "core/code/forward_order.h"

#include <algorithm>

namespace lantern {

ForwardOrder::ForwardOrder(const FlowGraph& flow) : flow_(&flow) {
    sort();
    index_.assign(flow.nodes().size() + 2, 0);  // 0: nothing leads forward to it
    for (std::uint32_t i = 0; i < order_.size(); ++i) index_[order_[i]] = i;
}

void ForwardOrder::sort() {
    enum class Mark : std::uint8_t { fresh, open, done };
    std::vector<Mark> marks(flow_->nodes().size() + 2, Mark::fresh);
    struct Open {
        std::uint32_t place;
        std::vector<std::uint32_t> next;
    };
    std::vector<Open> open;
    auto enter = [&](std::uint32_t place) {
        marks[place] = Mark::open;
        open.push_back({place, {}});
        for_each_successor(place, [&](std::uint32_t next) { open.back().next.push_back(next); });
    };
    if (flow_->entry() == FlowGraph::kNone) return;
    enter(flow_->entry());
    while (!open.empty()) {
        if (open.back().next.empty()) {
            marks[open.back().place] = Mark::done;
            order_.push_back(open.back().place);
            open.pop_back();
            continue;
        }
        std::uint32_t next = open.back().next.back();
        open.back().next.pop_back();
        if (marks[next] == Mark::fresh) enter(next);
    }
    std::reverse(order_.begin(), order_.end());
}

}  // namespace lantern
