#include "core/code/frame_slots.h"

#include <algorithm>

#include "core/code/node_effects.h"
#include "core/machine/registers.h"

namespace lantern {

FrameSlots::FrameSlots(const Blocks& blocks, const ModuleSymbols& symbols) : blocks_(&blocks) {
    const FlowGraph& flow = blocks.flow();
    descriptions_.reserve(flow.function().ranges.size());  // rows_ points into its elements
    std::vector<const dwarf::FrameRow*> rows;
    for (const FileRange& range : flow.function().ranges)
        if (auto description = symbols.frame_description(range.low))
            descriptions_.push_back(std::move(*description));
    for (const dwarf::FrameDescription& description : descriptions_)
        for (const dwarf::FrameRow& row : description.rows) rows.push_back(&row);
    std::ranges::sort(rows, {}, [](const dwarf::FrameRow* row) { return row->range.low; });
    auto row = rows.begin();
    for (const FlowGraph::Node& node : flow.nodes()) {
        while (row != rows.end() && (*row)->range.high <= node.address) ++row;
        bool is_of_row =
            row != rows.end() && (*row)->range.contains(node.address) && !(*row)->cfa_is_expression;
        rows_.push_back(is_of_row ? *row : nullptr);
        effects_.push_back(lantern::effects_of(node, symbols));
    }
    find_addresses();
}

void FrameSlots::find_addresses() {
    for (std::uint32_t at = 0; at < effects_.size(); ++at) {
        const Effects* effects = effects_of(at);
        auto slot = effects && effects->address ? slot_of(at, *effects->address) : std::nullopt;
        if (copies_frame_register(at))
            addresses_.push_back({at, std::nullopt});
        else if (slot)
            addresses_.push_back({at, slot});
    }
}

std::optional<std::int64_t> FrameSlots::slot_of(std::uint32_t node,
                                                const MemoryAccess& access) const {
    const dwarf::FrameRow* row = rows_[node];
    bool is_plain = !access.index && !access.has_other_registers &&
                    access.segment == MemoryAccess::Segment::none;
    if (!row || !is_plain || access.base != row->cfa_register) return std::nullopt;
    // An implied push is told with the stack pointer as it is before.
    return access.displacement - row->cfa_offset;
}

// Of the register by which slots are reached, into another than those two: whoever has that reaches
// every slot.
bool FrameSlots::copies_frame_register(std::uint32_t node) const {
    const Effects* effects = effects_of(node);
    if (!effects || !effects->is_copy || !rows_[node]) return false;
    bool reads = false, writes_another = false;
    for (const RegisterUse& use : effects->registers) {
        reads |= use.reads && use.dwarf_number == rows_[node]->cfa_register;
        writes_another |= use.writes && use.dwarf_number != kStackPointerNumber &&
                          use.dwarf_number != kFramePointerNumber;
    }
    return reads && writes_another;
}

FrameSlots::Range FrameSlots::any_object_with(std::int64_t slot, unsigned size) {
    constexpr std::int64_t kLargestFrame = std::int64_t{1} << 40;
    return {-kLargestFrame, slot + static_cast<std::int64_t>(size)};
}

FrameSlots::Stores FrameSlots::reaching(std::uint32_t node, std::int64_t slot, unsigned size,
                                        Range object) const {
    const std::int64_t end = slot + static_cast<std::int64_t>(size);
    auto touches = [&](std::uint32_t at, const MemoryAccess& access, std::int64_t length) {
        auto low = slot_of(at, access);
        return low && *low < end && slot < *low + length;
    };
    // Once its address is taken anywhere, a call may write it, and so may a store through a
    // pointer.
    Stores stores;
    for (const AddressMade& made : addresses_)
        if (!made.slot || (object.low <= *made.slot && *made.slot < object.high))
            stores.address_taken.push_back(made.node);
    const bool is_address_taken = !stores.address_taken.empty();
    // What a node does to the slot: true if nothing before it matters.
    auto ends_search = [&](std::uint32_t at) {
        const Effects* effects = effects_of(at);
        if (!effects) return stores.may_be_others = true;
        for (const MemoryAccess& access : effects->memory) {
            // A push is below every slot; what a string instruction writes is where it is pointed.
            bool is_push = access.is_implied && access.base == kStackPointerNumber;
            if (!access.writes || is_push) continue;
            if (touches(at, access, access.size)) {
                auto low = slot_of(at, access);
                if (*low <= slot && end <= *low + static_cast<std::int64_t>(access.size)) {
                    stores.nodes.push_back(at);
                    return true;
                }
                stores.may_be_others = true;
            } else if (is_address_taken && !slot_of(at, access) &&
                       access.base != kProgramCounterNumber) {
                stores.may_be_others = true;
            }
        }
        bool is_call = blocks_->flow().nodes()[at].kind == Instruction::Kind::call;
        if (is_call && is_address_taken) stores.may_be_others = true;
        return false;
    };
    std::vector<bool> is_done(blocks_->all().size(), false);
    std::vector<std::pair<std::uint32_t, std::uint32_t>> work{{blocks_->of_node(node), node}};
    while (!work.empty()) {
        auto [number, behind] = work.back();
        work.pop_back();
        const Blocks::Block& block = blocks_->all()[number];
        bool is_found = false;
        for (std::uint32_t at = behind; at > block.first && !is_found; --at)
            is_found = ends_search(at - 1);
        if (is_found) continue;
        if (block.is_entry) stores.from_outside = true;
        for (std::uint32_t before : block.from)
            if (!is_done[before]) {
                is_done[before] = true;
                work.push_back({before, blocks_->all()[before].end});
            }
    }
    std::ranges::sort(stores.nodes);
    stores.nodes.erase(std::unique(stores.nodes.begin(), stores.nodes.end()), stores.nodes.end());
    return stores;
}

}  // namespace lantern
