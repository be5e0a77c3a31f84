// The basic blocks of a function: stretches of instructions that run from first to last, and how
// they lead to each other. On them: which block every way to another goes through (dominators), and
// the loops.
//
//        ┌──┐
//        │ 0│ entry              0 dominates all; 1 dominates 2 and 3
//        └┬─┘
//        ┌▼─┐◄─┐
//        │ 1├┐ │ 3 → 1 goes back to a block that dominates it:
//        └┬─┘│ │ a loop with head 1, of the blocks 1 and 3
//        ┌▼─┐│┌┴─┐
//        │ 2│└►3 │
//        └──┘ └──┘
#pragma once

#include <cstdint>
#include <vector>

#include "core/code/flow_graph.h"

namespace lantern {

class Blocks {
  public:
    static constexpr std::uint32_t kNone = FlowGraph::kNone;

    struct Block {
        std::uint32_t first = 0,
                      end = 0;  // nodes of the graph, by address; `end` is behind the last
        std::vector<std::uint32_t> to, from;  // blocks
        bool is_entry = false;  // control may come from where nobody sees it: the function's entry,
                                // handlers, computed jumps
        bool is_reached = false;          // from an entry
        std::uint32_t dominator = kNone;  // the nearest other block that every way to this one goes
                                          // through; none for entries
    };
    struct Loop {
        std::uint32_t head = 0;             // the block that it is entered by
        std::vector<std::uint32_t> blocks;  // the head among them, in order
        std::uint32_t outer = kNone;        // the loop around it
    };

    // The graph is borrowed. A jump whose target is not known leads to all that such jumps can lead
    // to.
    explicit Blocks(const FlowGraph& flow);

    const FlowGraph& flow() const { return *flow_; }
    const std::vector<Block>& all() const { return blocks_; }
    std::uint32_t of_node(std::uint32_t node) const { return of_node_[node]; }
    bool dominates(std::uint32_t block, std::uint32_t other) const;  // a block dominates itself
    const std::vector<Loop>& loops() const { return loops_; }        // outer ones before inner ones
    std::uint32_t innermost_loop(std::uint32_t block) const {
        return loop_of_[block];
    }  // kNone: in none
    // The blocks in an order in which each comes before those it leads to, but for the ways back of
    // loops; entries first.
    const std::vector<std::uint32_t>& order() const { return order_; }

  private:
    void cut();
    void connect();
    void put_in_order();
    void find_dominators();
    void find_loops();
    std::uint32_t common_dominator(std::uint32_t a, std::uint32_t b) const;

    const FlowGraph* flow_;
    std::vector<Block> blocks_;
    std::vector<std::uint32_t> of_node_, order_, place_,
        loop_of_;  // place_: of a block in the order
    std::vector<Loop> loops_;
};

}  // namespace lantern
