// Elements of arrays and addresses that an optimiser, or none, has computed in several steps: the
// part of SourceNames that goes through arithmetic.
#include "core/analysis/source_names.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/support/text.h"

namespace lantern {
namespace {

constexpr unsigned kDeepestComputed = 8;

}  // namespace

// ---- elements

// What was widened and multiplied before it became the offset of an element.
std::optional<SourceName> SourceNames::index_in(PlaceInCode& place, unsigned& dwarf_number) {
    for (unsigned step = 0; step < kDeepestComputed; ++step) {
        if (auto name = in_register(place, dwarf_number)) return name;
        auto definitions = place.code->data.reaching(place.node, dwarf_number);
        if (definitions.nodes.size() != 1 || definitions.from_outside) return std::nullopt;
        place = place.at(definitions.nodes[0]);
        const Effects* effects = place.code->slots.effects_of(place.node);
        if (!effects) return std::nullopt;
        bool is_scaled = effects->address && effects->address->index && !effects->address->base;
        std::string text = text_of(*place.code, place.node);
        bool is_shifted = text.starts_with("shl") || text.starts_with("sal");
        if (is_scaled)
            dwarf_number = *effects->address->index;
        else if (auto move = move_into_register(*place.code, place.node, dwarf_number);
                 move && move->from == PlainMove::From::in_register)
            dwarf_number = move->dwarf_number;
        else if (!is_shifted)
            return std::nullopt;
    }
    return std::nullopt;
}

std::optional<SourceNames::Element> SourceNames::element_in(PlaceInCode place,
                                                            unsigned dwarf_number) {
    auto definitions = place.code->data.reaching(place.node, dwarf_number);
    if (definitions.nodes.size() != 1 || definitions.from_outside) return std::nullopt;
    PlaceInCode made = place.at(definitions.nodes[0]);
    const Effects* effects = place.code->slots.effects_of(made.node);
    if (!effects) return std::nullopt;
    std::vector<unsigned> parts;
    if (effects->address) {
        for (auto part : {effects->address->base, effects->address->index})
            if (part) parts.push_back(*part);
    } else if (text_of(*made.code, made.node).starts_with("add ")) {
        for (const RegisterUse& use : effects->registers)
            if (use.reads && !use.is_implied) parts.push_back(use.dwarf_number);
    }
    if (parts.size() != 2) return std::nullopt;
    for (unsigned which : {0u, 1u}) {
        auto pointer = in_register(made, parts[which]);
        if (!pointer || plain(*pointer->type).kind != TypeKind::pointer) continue;
        Element element{*pointer, {}, made, parts[1 - which], made, parts[which]};
        auto index = index_in(element.place, element.dwarf_number);
        if (!index || plain(*index->type).kind == TypeKind::pointer) continue;
        element.index = *index;
        return element;
    }
    return std::nullopt;
}

std::optional<SourceNames::Sum> SourceNames::sum_of(PlaceInCode made, unsigned dwarf_number) {
    const Effects* effects = made.code->slots.effects_of(made.node);
    if (!effects || !effects->memory.empty()) return std::nullopt;
    if (effects->address) {
        const MemoryAccess& address = *effects->address;
        bool is_plain = address.base && !address.index && address.base != kProgramCounterNumber &&
                        address.base != kStackPointerNumber &&
                        !made.code->slots.slot_of(made.node, address);
        if (!is_plain) return std::nullopt;
        return Sum{*address.base, address.displacement};
    }
    std::string text = text_of(*made.code, made.node);
    bool adds = text.starts_with("add "), takes = text.starts_with("sub ");
    auto number = last_number(text);
    unsigned read = 0, size = 8;
    for (const RegisterUse& use : effects->registers) {
        read += use.reads && !use.is_implied;
        if (use.reads && !use.is_implied) size = use.size;
    }
    if ((!adds && !takes) || !number || read != 1) return std::nullopt;
    // As a number of that many bytes: `add eax, 0xfffffffe` takes 2 away.
    unsigned above = 64 - 8 * size;
    auto constant = static_cast<std::int64_t>(*number << above) >> above;
    return Sum{dwarf_number, adds ? constant : -constant};
}

std::optional<SourceName> SourceNames::in_register_with(PlaceInCode place, unsigned dwarf_number,
                                                        std::uint64_t value) {
    std::optional<SourceName> found;
    for (std::uint32_t node : place.code->data.reaching(place.node, dwarf_number).nodes) {
        auto move = move_into_register(*place.code, node, dwarf_number);
        std::optional<SourceName> name;
        if (move && move->from == PlainMove::From::memory)
            name = in_memory(place.at(node), move->access);
        else if (move && move->from == PlainMove::From::in_register)
            name = in_register(place.at(node), move->dwarf_number);
        if (!name || value_of(*place.frame, name->text) != value) continue;
        if (found && found->text != name->text) return std::nullopt;
        found = name;
    }
    return found;
}

std::optional<SourceName> SourceNames::stored_from(PlaceInCode place, unsigned dwarf_number,
                                                   std::uint64_t value) {
    auto made = place.code->data.reaching(place.node, dwarf_number);
    if (made.nodes.size() != 1 || made.from_outside) return std::nullopt;
    std::optional<SourceName> found;
    for (std::uint32_t node = 0; node < place.code->flow.nodes().size(); ++node) {
        const Effects* effects = place.code->slots.effects_of(node);
        bool writes = effects && std::ranges::any_of(effects->memory, &MemoryAccess::writes);
        auto move = writes ? move_into_memory(*place.code, node) : std::nullopt;
        if (!move || move->from != PlainMove::From::in_register || move->size != 8) continue;
        auto moved = place.code->data.reaching(node, move->dwarf_number);
        if (moved.from_outside || moved.nodes != made.nodes) continue;
        auto name = in_memory(place.at(node), move->access);
        if (!name || value_of(*place.frame, name->text) != value) continue;
        if (found && found->text != name->text) return std::nullopt;
        found = name;
    }
    return found;
}

std::string SourceNames::inputs_of(PlaceInCode made) {
    const Effects* effects = made.code->slots.effects_of(made.node);
    if (!effects) return {};
    std::vector<unsigned> registers;
    auto add = [&](std::optional<unsigned> number) {
        if (number && std::ranges::find(registers, *number) == registers.end())
            registers.push_back(*number);
    };
    if (effects->address) {
        add(effects->address->base);
        add(effects->address->index);
    }
    for (const RegisterUse& use : effects->registers)
        if (use.reads && !use.is_implied) add(use.dwarf_number);
    std::vector<std::string> named;
    for (unsigned number : registers) {
        auto name = in_register(made, number);
        auto now = name ? value_of(*made.frame, name->text) : std::nullopt;
        if (!now) continue;
        bool is_pointer = plain(*name->type).kind == TypeKind::pointer;
        std::string value =
            is_pointer ? (*now ? fmt::format("{:#x}", *now) : "null") : fmt::format("{}", *now);
        named.push_back(fmt::format("{}, which is {} now", name->text, value));
    }
    return join_with(named, "and");
}

// ---- numbers

std::optional<std::uint64_t> SourceNames::computed_address(PlaceInCode place,
                                                           const MemoryAccess& access,
                                                           unsigned depth) {
    bool is_plain = access.segment == MemoryAccess::Segment::none && !access.has_other_registers;
    if (!is_plain || depth > kDeepestComputed) return std::nullopt;
    if (auto slot = place.code->slots.slot_of(place.node, access)) {
        if (!place.frame->call_frame_address) return std::nullopt;
        return place.frame->call_frame_address->value + static_cast<std::uint64_t>(*slot);
    }
    auto address = static_cast<std::uint64_t>(access.displacement);
    if (access.base == kProgramCounterNumber) {
        address += place.frame->module->to_run(place.code->node(place.node).behind()).value;
    } else if (access.base) {
        auto base = computed(place, *access.base, depth + 1);
        if (!base) return std::nullopt;
        address += *base;
    }
    if (!access.index) return address;
    auto index = computed(place, *access.index, depth + 1);
    return index ? std::optional(address + *index * access.scale) : std::nullopt;
}

std::optional<std::uint64_t> SourceNames::computed(PlaceInCode place, unsigned dwarf_number,
                                                   unsigned depth) {
    auto definitions = place.code->data.reaching(place.node, dwarf_number);
    bool is_one = definitions.nodes.size() == 1 && !definitions.from_outside;
    if (depth > kDeepestComputed) return std::nullopt;
    if (!is_one) {
        auto variable = in_register(place, dwarf_number);
        return variable ? value_of(*place.frame, variable->text) : std::nullopt;
    }
    PlaceInCode made = place.at(definitions.nodes[0]);
    const Effects* effects = made.code->slots.effects_of(made.node);
    if (!effects) return std::nullopt;
    if (effects->address) return computed_address(made, *effects->address, depth + 1);
    std::string text = text_of(*made.code, made.node);
    if (auto move = move_into_register(*made.code, made.node, dwarf_number)) {
        if (move->from == PlainMove::From::constant) return move->constant;
        bool is_signed = text.starts_with("movsx") || text == "cdqe";
        std::optional<std::uint64_t> value;
        unsigned size = move->from == PlainMove::From::memory ? move->size : is_signed ? 4 : 8;
        if (move->from == PlainMove::From::in_register) {
            value = computed(made, move->dwarf_number, depth + 1);
        } else if (auto address = computed_address(made, move->access, depth + 1)) {
            std::uint64_t word = 0;
            auto bytes = std::as_writable_bytes(std::span(&word, 1)).first(std::min(size, 8u));
            if (moment_.target().read_available(RunAddress(*address), bytes) == bytes.size())
                value = word;
        }
        if (value && is_signed && size == 4)
            value = static_cast<std::uint64_t>(
                static_cast<std::int64_t>(static_cast<std::int32_t>(*value)));
        return value;
    }
    // Two-operand arithmetic on what it held before.
    auto before = computed(made, dwarf_number, depth + 1);
    if (!before) return std::nullopt;
    std::optional<std::uint64_t> other = last_number(text);
    for (const RegisterUse& use : effects->registers)
        if (!other && use.reads && !use.is_implied && !use.writes)
            other = computed(made, use.dwarf_number, depth + 1);
    if (text.starts_with("add ") && effects->memory.empty())
        return *before + other.value_or(*before);  // a register that is added to itself
    if (!other || !effects->memory.empty()) return std::nullopt;
    if (text.starts_with("sub ")) return *before - *other;
    if (text.starts_with("shl ") && *other < 64) return *before << *other;
    if (text.starts_with("imul ")) return *before * *other;
    return std::nullopt;
}

}  // namespace lantern
