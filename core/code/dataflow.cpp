#include "core/code/dataflow.h"

#include <algorithm>

namespace lantern {
namespace {

RegisterSet everything() {
    return read_by_a_call() | lost_by_a_call() | handed_back();
}

RegisterSet before(RegisterSet behind, const RegisterEffects& effects) {
    return behind.without(effects.overwrites) | effects.reads;
}

}  // namespace

Dataflow::Dataflow(const Blocks& blocks, const ModuleSymbols& symbols) : blocks_(&blocks) {
    find_effects(symbols);
    find_liveness();
}

void Dataflow::find_effects(const ModuleSymbols& symbols) {
    using Kind = Instruction::Kind;
    for (const FlowGraph::Node& node : blocks_->flow().nodes()) {
        auto effects = register_effects_of(symbols.elf().loaded_bytes(node.address, node.length))
                           .value_or(RegisterEffects{everything(), everything(), {}, true, true});
        if (node.kind == Kind::call) {
            effects.reads |= read_by_a_call();
            effects.writes |= lost_by_a_call();
            effects.overwrites |= lost_by_a_call();
            effects.reads_memory = effects.writes_memory = true;
        } else if (node.kind == Kind::system_call) {
            effects.reads |= read_by_a_call();
            effects.writes |= RegisterSet::of(0);
            effects.overwrites |= RegisterSet::of(0);
            effects.reads_memory = effects.writes_memory = true;
        } else if (node.kind == Kind::returns) {
            effects.reads |= handed_back();
        } else if (node.leaves() || node.goes_out ||
                   (node.jumps_by_value() && blocks_->flow().computed_targets().empty())) {
            effects.reads |= read_by_a_call() |
                             handed_back();  // a call that is a jump: its callee returns for us
        }
        effects_.push_back(effects);
    }
}

RegisterSet Dataflow::live_at_end_of(std::uint32_t number) const {
    RegisterSet live;
    for (std::uint32_t other : blocks_->all()[number].to) live |= live_in_[other];
    return live;
}

void Dataflow::find_liveness() {
    const auto& blocks = blocks_->all();
    live_in_.resize(blocks.size());
    live_out_.resize(blocks.size());
    for (bool changed = true; changed;) {
        changed = false;
        for (std::uint32_t number = static_cast<std::uint32_t>(blocks.size()); number-- > 0;) {
            RegisterSet live = live_out_[number] = live_at_end_of(number);
            for (std::uint32_t node = blocks[number].end; node-- > blocks[number].first;)
                live = before(live, effects_[node]);
            if (live == live_in_[number]) continue;
            live_in_[number] = live;
            changed = true;
        }
    }
}

RegisterSet Dataflow::live_behind(std::uint32_t node) const {
    std::uint32_t number = blocks_->of_node(node);
    RegisterSet live = live_out_[number];
    for (std::uint32_t i = blocks_->all()[number].end; --i > node;)
        live = before(live, effects_[i]);
    return live;
}

RegisterSet Dataflow::live_before(std::uint32_t node) const {
    return before(live_behind(node), effects_[node]);
}

namespace {

using CodeBlock = Blocks::Block;

// From one block along all ways, each block once, as long as `look` (told the block's nodes) does
// not say that the way ends there. True: a way leads out of the function.
template <class Look>
bool follow(const Blocks& blocks, std::uint32_t from, std::vector<std::uint32_t> CodeBlock::*ways,
            Look look) {
    bool leads_out = false;
    std::vector<bool> seen(blocks.all().size());
    std::vector<std::uint32_t> open;
    auto go_on_from = [&](const CodeBlock& block) {
        leads_out |= (block.*ways).empty() || (ways == &CodeBlock::from && block.is_entry);
        open.insert(open.end(), (block.*ways).begin(), (block.*ways).end());
    };
    go_on_from(blocks.all()[from]);
    while (!open.empty()) {
        std::uint32_t number = open.back();
        open.pop_back();
        if (seen[number]) continue;
        seen[number] = true;
        const CodeBlock& block = blocks.all()[number];
        if (!look(block.first, block.end)) go_on_from(block);
    }
    return leads_out;
}

void put_in_order(std::vector<std::uint32_t>& nodes) {
    std::sort(nodes.begin(), nodes.end());
    nodes.erase(std::unique(nodes.begin(), nodes.end()), nodes.end());
}

}  // namespace

// Backwards, until something leaves nothing of what was there.
Dataflow::Definitions Dataflow::reaching(std::uint32_t node, unsigned dwarf_number) const {
    Definitions found;
    auto look = [&](std::uint32_t first, std::uint32_t end) {
        for (std::uint32_t i = end; i-- > first;) {
            if (effects_[i].writes.has(dwarf_number)) found.nodes.push_back(i);
            if (effects_[i].overwrites.has(dwarf_number)) return true;
        }
        return false;
    };
    std::uint32_t own = blocks_->of_node(node);
    if (!look(blocks_->all()[own].first, node))
        found.from_outside = follow(*blocks_, own, &CodeBlock::from, look);
    put_in_order(found.nodes);
    return found;
}

Dataflow::Uses Dataflow::uses_of(std::uint32_t node, unsigned dwarf_number) const {
    Uses found;
    auto look = [&](std::uint32_t first, std::uint32_t end) {
        for (std::uint32_t i = first; i < end; ++i) {
            if (effects_[i].reads.has(dwarf_number)) found.nodes.push_back(i);
            if (effects_[i].overwrites.has(dwarf_number)) return true;
        }
        return false;
    };
    std::uint32_t own = blocks_->of_node(node);
    if (!look(node + 1, blocks_->all()[own].end))
        found.goes_outside = follow(*blocks_, own, &CodeBlock::to, look);
    put_in_order(found.nodes);
    return found;
}

}  // namespace lantern
