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

FrameSlots::Touch FrameSlots::touch(std::uint32_t node, std::int64_t slot, unsigned size,
                                    bool is_address_known) const {
    const Effects* effects = effects_of(node);
    if (!effects) return Touch::may_write;
    const std::int64_t end = slot + static_cast<std::int64_t>(size);
    Touch touched = Touch::none;
    for (const MemoryAccess& access : effects->memory) {
        // A push is below every slot; what a string instruction writes is where it is pointed.
        bool is_push = access.is_implied && access.base == kStackPointerNumber;
        if (!access.writes || is_push) continue;
        auto low = slot_of(node, access);
        auto high = low ? std::optional(*low + static_cast<std::int64_t>(access.size)) : low;
        if (low && *low <= slot && end <= *high) return Touch::writes;
        bool is_in_part = low && *low < end && slot < *high;
        bool may_point_to_it = is_address_known && !low && access.base != kProgramCounterNumber;
        if (is_in_part || may_point_to_it) touched = Touch::may_write;
    }
    bool is_call = blocks_->flow().nodes()[node].kind == Instruction::Kind::call;
    return is_call && is_address_known ? Touch::may_write : touched;
}

std::vector<std::uint32_t> FrameSlots::address_makers(Range object) const {
    std::vector<std::uint32_t> makers;
    for (const AddressMade& made : addresses_)
        if (!made.slot || (object.low <= *made.slot && *made.slot < object.high))
            makers.push_back(made.node);
    return makers;
}

bool FrameSlots::reads(std::uint32_t node, std::int64_t slot, unsigned size) const {
    const Effects* effects = effects_of(node);
    return !effects || std::ranges::any_of(effects->memory, [&](const MemoryAccess& access) {
        auto low = access.reads ? slot_of(node, access) : std::nullopt;
        return low && *low < slot + static_cast<std::int64_t>(size) &&
               slot < *low + static_cast<std::int64_t>(access.size);
    });
}

bool FrameSlots::writes_somewhere(std::uint32_t node) const {
    const Effects* effects = effects_of(node);
    return !effects || std::ranges::any_of(effects->memory, [&](const MemoryAccess& access) {
        bool is_of_frame = access.base == kStackPointerNumber || access.base == kFramePointerNumber;
        return access.writes && !access.is_implied && is_of_frame && !slot_of(node, access);
    });
}

FrameSlots::Stores FrameSlots::reaching(std::uint32_t node, std::int64_t slot, unsigned size,
                                        Range object) const {
    Stores stores;
    stores.address_taken = address_makers(object);  // anywhere: who has it may write at any time
    // Whether nothing before the node matters.
    auto ends_search = [&](std::uint32_t at) {
        switch (touch(at, slot, size, !stores.address_taken.empty())) {
            case Touch::none: return false;
            case Touch::may_write: stores.may_be_others = true; return !effects_of(at);
            case Touch::writes: break;
        }
        stores.nodes.push_back(at);
        return true;
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
