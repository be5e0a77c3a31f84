// The instructions of a function, each behind all those that lead to it, loops' ways back left out.
// Two places more stand for "any computed jump of which no table is known" and, where it is not
// known which call leads to which handler, "any call that throws".
#pragma once

#include <cstdint>
#include <vector>

#include "core/code/flow_graph.h"

namespace lantern {

class ForwardOrder {
  public:
    // Borrows the graph.
    explicit ForwardOrder(const FlowGraph& flow);

    const FlowGraph& flow() const { return *flow_; }
    // Numbers of nodes, or of those two places; those that nothing known leads to are not there.
    const std::vector<std::uint32_t>& all() const { return order_; }
    bool is_instruction(std::uint32_t place) const { return place < flow_->nodes().size(); }

    // Calls `visit(further)` for each place that the one at `index` leads to, by index in the
    // order.
    template <class Visit>
    void for_each_next(std::size_t index, Visit&& visit) const {
        for_each_successor(order_[index], [&](std::uint32_t next) {
            if (index_[next] > index) visit(index_[next]);
        });
    }

  private:
    std::uint32_t jump_hub() const { return static_cast<std::uint32_t>(flow_->nodes().size()); }
    std::uint32_t throw_hub() const { return jump_hub() + 1; }
    void sort();

    template <class Visit>
    static void visit_all(const std::vector<std::uint32_t>& places, Visit&& visit) {
        for (std::uint32_t place : places) visit(place);
    }
    template <class Visit>
    void for_each_successor(std::uint32_t place, Visit&& visit) const {
        if (place == jump_hub()) visit_all(flow_->computed_targets(), visit);
        bool is_any_landing = place == throw_hub() || !flow_->knows_landings();
        if (place >= jump_hub())
            return is_any_landing ? visit_all(flow_->landings(), visit) : void();
        const FlowGraph::Node& node = flow_->nodes()[place];
        if (node.branch != FlowGraph::kNone) visit(node.branch);
        if (node.next != FlowGraph::kNone) visit(node.next);
        if (const auto* targets = flow_->targets_of(node))
            visit_all(*targets, visit), visit_all(flow_->unclaimed_targets(), visit);
        else if (node.jumps_by_value())
            visit(jump_hub());
        if (flow_->knows_landings() && node.landing != FlowGraph::kNone) visit(node.landing);
        bool throws_anywhere = !flow_->knows_landings() && !flow_->landings().empty();
        if (throws_anywhere && node.kind == Instruction::Kind::call) visit(throw_hub());
    }

    const FlowGraph* flow_;
    std::vector<std::uint32_t> order_, index_;  // index_: of each place in the order
};

}  // namespace lantern
