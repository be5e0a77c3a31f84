#include "core/analysis/possible_definitions.h"

namespace lantern {
namespace {

using From = PlainMove::From;

constexpr const char* kOnlyOne = "it is the only place that sets just this number";
constexpr const char* kOthersAreOther = "where else it is set, it would be another number";

struct Sorted {
    std::vector<std::uint32_t> same;  // constants that are the number
    std::vector<std::uint32_t> open;  // may be
};

// What was moved there is a variable that holds another number now.
bool is_from_another(SourceNames& names, PlaceInCode place, const std::optional<PlainMove>& move,
                     std::uint64_t value) {
    if (!move || move->from != From::in_register) return false;
    auto name = names.in_register(place, move->dwarf_number);
    auto now = name ? names.value_of(*place.frame, name->text) : std::nullopt;
    return now && !is_same_number(*now, move->size, value);
}

// What is moved, where that is a number: at once, or by way of a register that is set to it.
std::optional<std::uint64_t> number_moved(PlaceInCode place, const PlainMove& move) {
    if (move.from == From::constant) return move.constant;
    if (move.from != From::in_register) return std::nullopt;
    auto definitions = place.code->data.reaching(place.node, move.dwarf_number);
    if (definitions.nodes.size() != 1 || definitions.from_outside) return std::nullopt;
    auto made = move_into_register(*place.code, definitions.nodes[0], move.dwarf_number);
    return made && made->from == From::constant ? std::optional(made->constant) : std::nullopt;
}

template <class MoveAt>
Sorted sorted(SourceNames& names, PlaceInCode place, const std::vector<std::uint32_t>& nodes,
              std::uint64_t value, MoveAt move_at) {
    Sorted made;
    for (std::uint32_t node : nodes) {
        std::optional<PlainMove> move = move_at(node);
        auto number = move ? number_moved(place.at(node), *move) : std::nullopt;
        if (!number) {
            if (!is_from_another(names, place.at(node), move, value)) made.open.push_back(node);
        } else if (is_same_number(*number, move->size, value)) {
            made.same.push_back(node);
        }
    }
    return made;
}

}  // namespace

bool is_same_number(std::uint64_t constant, unsigned size, std::uint64_t value) {
    std::uint64_t kept = size < 8 ? (std::uint64_t{1} << (8 * size)) - 1 : ~std::uint64_t{0};
    return (constant & kept) == (value & kept);
}

PossibleDefinitions that_can_have_set(SourceNames& names, PlaceInCode place, unsigned dwarf_number,
                                      PossibleDefinitions all, std::uint64_t value) {
    if (all.nodes.size() + all.from_outside < 2) return all;
    auto [same, open] = sorted(names, place, all.nodes, value, [&](std::uint32_t node) {
        return move_into_register(*place.code, node, dwarf_number);
    });
    if (same.size() == 1 && !open.empty()) return {same, all.from_outside, kOnlyOne};
    if (same.size() + open.size() == all.nodes.size()) return all;
    open.insert(open.end(), same.begin(), same.end());
    return {open, all.from_outside, kOthersAreOther};
}

PossibleDefinitions that_can_have_stored(SourceNames& names, PlaceInCode place,
                                         PossibleDefinitions all, std::uint64_t value) {
    if (all.nodes.size() + all.from_outside < 2) return all;
    auto [same, open] = sorted(names, place, all.nodes, value, [&](std::uint32_t node) {
        return move_into_memory(*place.code, node);
    });
    if (same.size() == 1) {
        bool has_others = !open.empty() || all.from_outside;
        return {same, false, has_others ? kOnlyOne : ""};
    }
    bool is_less = same.empty() && !open.empty() && open.size() < all.nodes.size();
    return is_less ? PossibleDefinitions{open, all.from_outside, kOthersAreOther} : all;
}

std::optional<PlaceOfReturn> place_that_returns(SourceNames& names, const Module& module,
                                                const Function& function, std::uint64_t value) {
    constexpr unsigned kReturned = 0;  // rax
    const FunctionCode* code = names.code_of(module, function);
    if (!code) return std::nullopt;
    PlaceOfReturn found{code};
    unsigned places = 0;
    for (std::uint32_t node = 0; node < code->flow.nodes().size(); ++node) {
        // What another function returns that it ends with a jump to.
        found.has_others |= code->node(node).leaves() ||
                            (code->node(node).is_jump() && code->node(node).is_computed);
        if (code->node(node).kind != Instruction::Kind::returns) continue;
        auto definitions = code->data.reaching(node, kReturned);
        found.has_others |= definitions.from_outside;
        for (std::uint32_t made : definitions.nodes) {
            auto move = move_into_register(*code, made, kReturned);
            if (!move || move->from != From::constant) {
                found.has_others = true;
            } else if (is_same_number(move->constant, move->size, value)) {
                found.node = made;
                ++places;
            }
        }
    }
    return places == 1 ? std::optional(found) : std::nullopt;
}

}  // namespace lantern
