#include "core/code/blocks.h"

#include <algorithm>

namespace lantern {

Blocks::Blocks(const FlowGraph& flow) : flow_(&flow) {
    cut();
    connect();
    put_in_order();
    find_dominators();
    find_loops();
}

// A block begins where somebody leads to, and behind what may lead elsewhere.
void Blocks::cut() {
    const auto& nodes = flow_->nodes();
    std::vector<bool> begins(nodes.size() + 1);
    std::vector<bool> is_entry(nodes.size());
    auto enters = [&](std::uint32_t node) {
        if (node == kNone) return;
        begins[node] = is_entry[node] = true;
    };
    enters(flow_->entry());
    for (std::uint32_t node : flow_->landings()) enters(node);
    for (std::uint32_t node : flow_->computed_targets()) begins[node] = true;
    for (std::uint32_t i = 0; i < nodes.size(); ++i) {
        const FlowGraph::Node& node = nodes[i];
        if (node.branch != kNone) begins[node.branch] = true;
        bool goes_straight_on = node.next == i + 1 && !node.is_jump();
        if (!goes_straight_on) begins[i + 1] = true;
    }
    of_node_.resize(nodes.size());
    for (std::uint32_t i = 0; i < nodes.size(); ++i) {
        if (i == 0 || begins[i]) {
            blocks_.push_back({});
            blocks_.back().first = i;
            blocks_.back().is_entry = is_entry[i];
        }
        blocks_.back().end = i + 1;
        of_node_[i] = static_cast<std::uint32_t>(blocks_.size() - 1);
    }
}

void Blocks::connect() {
    for (std::uint32_t number = 0; number < blocks_.size(); ++number) {
        Block& block = blocks_[number];
        const FlowGraph::Node& last = flow_->nodes()[block.end - 1];
        auto leads_to = [&](std::uint32_t node) {
            if (node == kNone) return;
            std::uint32_t other = of_node_[node];
            if (std::find(block.to.begin(), block.to.end(), other) == block.to.end())
                block.to.push_back(other);
        };
        leads_to(last.next);
        leads_to(last.branch);
        if (last.jumps_by_value())
            for (std::uint32_t target : flow_->computed_targets()) leads_to(target);
    }
    for (std::uint32_t number = 0; number < blocks_.size(); ++number)
        for (std::uint32_t other : blocks_[number].to) blocks_[other].from.push_back(number);
}

// Each behind all that it leads to is written down when they are done (without recursion: functions
// of ten thousand blocks exist), and the whole turned around.
void Blocks::put_in_order() {
    struct Visit {
        std::uint32_t block;
        std::size_t next = 0;
    };
    for (std::uint32_t entry = static_cast<std::uint32_t>(blocks_.size()); entry-- > 0;) {
        if (!blocks_[entry].is_entry || blocks_[entry].is_reached) continue;
        std::vector<Visit> open{{entry}};
        blocks_[entry].is_reached = true;
        while (!open.empty()) {
            Visit& visit = open.back();
            const auto& to = blocks_[visit.block].to;
            if (visit.next == to.size()) {
                order_.push_back(visit.block);
                open.pop_back();
                continue;
            }
            std::uint32_t other = to[visit.next++];
            if (blocks_[other].is_reached) continue;
            blocks_[other].is_reached = true;
            open.push_back({other});
        }
    }
    std::reverse(order_.begin(), order_.end());
    place_.assign(blocks_.size(), kNone);
    for (std::uint32_t i = 0; i < order_.size(); ++i) place_[order_[i]] = i;
}

// kNone: nothing but what lies outside of the function, which is in front of all entries.
std::uint32_t Blocks::common_dominator(std::uint32_t a, std::uint32_t b) const {
    while (a != b) {
        if (a == kNone || b == kNone) return kNone;
        std::uint32_t& later = place_[a] > place_[b] ? a : b;
        later = blocks_[later].dominator;
    }
    return a;
}

// Each has what its predecessors have in common, until nothing changes (Cooper, Harvey, Kennedy: A
// Simple, Fast Dominance Algorithm).
void Blocks::find_dominators() {
    std::vector<bool> is_known(blocks_.size());
    for (std::uint32_t block : order_) is_known[block] = blocks_[block].is_entry;
    for (bool changed = true; changed;) {
        changed = false;
        for (std::uint32_t number : order_) {
            Block& block = blocks_[number];
            if (block.is_entry) continue;
            std::uint32_t common = kNone;
            bool is_first = true;
            for (std::uint32_t from : block.from) {
                if (!is_known[from]) continue;
                common = is_first ? from : common_dominator(common, from);
                is_first = false;
            }
            if (is_first || (is_known[number] && common == block.dominator)) continue;
            block.dominator = common;
            is_known[number] = changed = true;
        }
    }
}

bool Blocks::dominates(std::uint32_t block, std::uint32_t other) const {
    if (!blocks_[block].is_reached || !blocks_[other].is_reached) return block == other;
    while (other != kNone && other != block) other = blocks_[other].dominator;
    return other == block;
}

// A way back to a block that dominates where it comes from closes a loop: all that leads there
// without passing the head is in it.
void Blocks::find_loops() {
    loop_of_.assign(blocks_.size(), kNone);
    for (std::uint32_t head : order_) {
        std::vector<std::uint32_t> open;
        for (std::uint32_t from : blocks_[head].from)
            if (blocks_[from].is_reached && dominates(head, from)) open.push_back(from);
        if (open.empty()) continue;
        Loop loop{head, {head}, loop_of_[head]};
        std::vector<bool> is_in(blocks_.size());
        is_in[head] = true;
        while (!open.empty()) {
            std::uint32_t block = open.back();
            open.pop_back();
            if (is_in[block] || !blocks_[block].is_reached) continue;
            is_in[block] = true;
            loop.blocks.push_back(block);
            open.insert(open.end(), blocks_[block].from.begin(), blocks_[block].from.end());
        }
        std::sort(loop.blocks.begin(), loop.blocks.end());
        for (std::uint32_t block : loop.blocks)
            loop_of_[block] = static_cast<std::uint32_t>(loops_.size());
        loops_.push_back(std::move(loop));
    }
}

}  // namespace lantern
