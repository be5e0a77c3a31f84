#include "core/analysis/lagging_memory.h"

#include <algorithm>

#include "core/code/plain_move.h"
#include "core/machine/calling_convention.h"

namespace lantern {

RowsBefore& LaggingMemory::rows() {
    if (!rows_) {
        rows_.emplace(frame_, changes_);
        slots_ = rows_->code().slots();
    }
    return *rows_;
}

std::optional<LaggingMemory::Place> LaggingMemory::place_of(const Part& part) {
    if (!frame_.call_frame_address || rows().here() == FlowGraph::kNone) return std::nullopt;
    if (frame_.module->holds(part.variable)) return fixed_place_of(part);
    auto whole = static_cast<std::int64_t>(part.variable - *frame_.call_frame_address);
    bool is_of_frame =
        whole < 0 && part.variable.value + kRedZone >= frame_.registers.stack_pointer().value;
    if (!is_of_frame) return std::nullopt;  // the caller's, or a thread's own
    return Place{whole + static_cast<std::int64_t>(part.offset),
                 {whole, whole + static_cast<std::int64_t>(part.variable_size)},
                 std::nullopt,
                 static_cast<unsigned>(part.size)};
}

LaggingMemory::Place LaggingMemory::fixed_place_of(const Part& part) {
    auto size = static_cast<unsigned>(part.size);
    FileAddress address = frame_.module->to_file(part.variable) + part.offset;
    return Place{0, {}, FixedMemory(rows().code().flow(), *slots_, address, size), size};
}

FrameSlots::Touch LaggingMemory::touch(std::uint32_t node, const Place& place) const {
    if (place.fixed) return place.fixed->touch(node);
    if (slots_->writes_somewhere(node)) return FrameSlots::Touch::may_write;
    return slots_->touch(node, place.slot, place.size, is_known_[node]);
}

bool LaggingMemory::reads(std::uint32_t node, const Place& place) const {
    return place.fixed ? place.fixed->reads(node) : slots_->reads(node, place.slot, place.size);
}

// False where the call that the frame waits for may have written the part.
bool LaggingMemory::find_unchanged(const Place& place,
                                   const std::vector<std::uint32_t>& address_makers) {
    is_known_ = led_to_from(rows().code().flow(), address_makers);
    bool is_waiting = frame_.lookup_address != frame_.program_counter;
    if (is_waiting && (place.fixed || is_known_[rows().here()])) return false;
    auto changes_it = [&](std::uint32_t node) {
        return touch(node, place) != FrameSlots::Touch::none;
    };
    changed_by_.clear();
    unchanged_ = rows().unchanged_from(changes_it, changed_by_);
    return true;
}

// Whether what it made the address in may hold it here.
bool LaggingMemory::still_has_address(std::uint32_t maker) {
    const auto& effects = rows().code().effects();
    const FlowGraph& flow = rows().code().flow();
    if (!effects[maker]) return true;
    RegisterSet made = effects[maker]->writes;
    std::vector<bool> reached = led_to_from(flow, {maker}, [&](std::uint32_t node) {
        RegisterSet lost = effects[node] ? effects[node]->writes : RegisterSet();
        if (flow.nodes()[node].kind == Instruction::Kind::call) lost |= lost_by_a_call();
        return node != maker && !(lost & made).is_empty();
    });
    return reached[rows().here()];
}

// Behind a loop a global is stored where a turn has set it, which a register keeps in mind: the way
// past the store is none that a turn which set it takes.
//
//     L: …
//        inc  rax             heavy++, in a turn that comes by here
//        mov  ecx, 1
//        …
//        jne  L
//        test cl, cl
//        je   behind
//        mov  [heavy], rax
bool LaggingMemory::is_stored_behind_its_loop(std::size_t statement) {
    const Blocks& blocks = rows().code().blocks();
    std::vector<std::uint32_t> setting;
    for (std::uint32_t node = 0; node < unchanged_.size(); ++node)
        if (unchanged_[node] && rows().is_of(node, statement)) setting.push_back(node);
    for (std::uint32_t node : setting) {
        std::uint32_t its = blocks.innermost_loop(blocks.of_node(node));
        std::uint32_t here = blocks.innermost_loop(blocks.of_node(rows().here()));
        while (here != Blocks::kNone && here != its) here = blocks.loops()[here].outer;
        if (here == its) return false;
    }
    std::vector<bool> behind = led_to_from(rows().code().flow(), setting);
    return std::ranges::any_of(changed_by_, [&](std::uint32_t node) { return behind[node]; });
}

std::optional<std::uint32_t> LaggingMemory::passed_over(const Part& part) {
    std::vector<std::size_t> setting = changes_.statements_that_set(part.name);
    auto place = setting.empty() ? std::nullopt : place_of(part);
    if (!place) return std::nullopt;
    auto makers =
        place->fixed ? std::vector<std::uint32_t>() : slots_->address_makers(place->object);
    if (!find_unchanged(*place, makers)) return std::nullopt;
    std::optional<std::uint32_t> before, in_loop;
    for (std::size_t number : setting) {
        bool has_stored = std::ranges::any_of(
            changed_by_, [&](std::uint32_t node) { return rows().is_of(node, number); });
        auto counted = rows().count(number, unchanged_, [](const CodePosition&) { return true; });
        if (has_stored || !counted.only_unchanged()) continue;
        if (place->fixed && is_stored_behind_its_loop(number)) continue;
        (number < here_ ? before : in_loop) = changes_.statements()[number].first_line;
    }
    return before ? before : in_loop;
}

// Nothing where something else may come before one of them: a read, for one.
std::optional<std::vector<std::uint32_t>> LaggingMemory::next_stores(const Place& place) {
    std::vector<std::uint32_t> stores;
    bool is_sure = true;
    led_to_from(rows().code().flow(), {rows().here()}, [&](std::uint32_t node) {
        auto touched = touch(node, place);
        if (touched == FrameSlots::Touch::writes) stores.push_back(node);
        is_sure &= touched != FrameSlots::Touch::may_write && !reads(node, place);
        return touched != FrameSlots::Touch::none || !is_sure;
    });
    return is_sure && !stores.empty() ? std::optional(stores) : std::nullopt;
}

std::optional<unsigned> LaggingMemory::stored_next_from(const Part& part) {
    auto place = place_of(part);
    auto stores = place ? next_stores(*place) : std::nullopt;
    if (!stores) return std::nullopt;
    KeptCode& code = rows().code();
    std::optional<unsigned> from;
    for (std::uint32_t node : *stores) {
        auto taken = register_moved_into_memory(code.bytes_of(node), part.size);
        if (!taken || (from && from != taken)) return std::nullopt;
        from = taken;
    }
    // What it holds now goes into what is stored, on some way.
    const auto& effects = code.effects();
    auto loses_it = [&](std::uint32_t node) {
        if (code.flow().nodes()[node].kind == Instruction::Kind::call)
            return lost_by_a_call().has(*from);
        return !effects[node] ||
               (effects[node]->overwrites.has(*from) && !effects[node]->reads.has(*from));
    };
    std::vector<bool> reached = led_to_from(code.flow(), {rows().here()}, loses_it);
    reached[rows().here()] = true;
    bool is_stored =
        std::ranges::any_of(*stores, [&](std::uint32_t node) { return reached[node]; });
    return is_stored ? from : std::nullopt;
}

bool LaggingMemory::stays_through_turns(const Part& part, std::size_t head, const Scope& scope) {
    auto place = place_of(part);
    if (!place) return false;
    std::vector<std::uint32_t> makers = slots_->address_makers(place->object);
    std::vector<bool> comes_back = led_to_from(rows().code().flow(), {rows().here()});
    std::erase_if(makers, [&](std::uint32_t maker) {
        FileAddress address = rows().code().flow().nodes()[maker].address;
        bool is_of_a_turn = comes_back[maker] && rows().leads_here(maker);
        return !is_of_a_turn && !any_contains(scope.ranges, address) && !still_has_address(maker);
    });
    if (!find_unchanged(*place, makers)) return false;
    bool is_stored =
        std::ranges::any_of(changed_by_, [&](std::uint32_t node) { return comes_back[node]; });
    if (is_stored) return false;
    for (std::uint32_t node = 0; node < unchanged_.size(); ++node)
        if (unchanged_[node] && comes_back[node] && rows().statement_of(node) == head) return true;
    return false;
}

}  // namespace lantern
