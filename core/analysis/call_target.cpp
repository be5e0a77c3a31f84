#include "core/analysis/call_target.h"

#include "core/machine/calling_convention.h"
#include "core/target/linkage.h"

namespace lantern {
namespace {

using From = PlainMove::From;

// By registers that a call keeps, as the frame has them.
std::optional<RunAddress> word_by(Target& target, PlaceInCode place, const MemoryAccess& access) {
    for (auto number : {access.base, access.index})
        if (number && *number != kProgramCounterNumber && !is_kept_by_calls(*number))
            return std::nullopt;
    RunAddress next = place.frame->module->to_run(place.code->node(place.node).behind());
    auto address = accessed_address(access, place.frame->registers, next);
    std::uint64_t word = 0;
    auto bytes = std::as_writable_bytes(std::span(&word, 1));
    if (!address || target.read_available(RunAddress(*address), bytes) != bytes.size())
        return std::nullopt;
    return RunAddress(word);
}

// Nothing where it cannot be told any more.
std::optional<RunAddress> target_of(Target& target, PlaceInCode call) {
    const FlowGraph::Node& node = call.code->node(call.node);
    if (node.target) return behind_linkage_table(target, call.frame->module->to_run(*node.target));
    const Effects* effects = call.code->slots.effects_of(call.node);
    if (!effects) return std::nullopt;
    for (const MemoryAccess& access : effects->memory)
        if (access.reads && !access.is_implied) return word_by(target, call, access);
    for (const RegisterUse& use : effects->registers) {
        if (!use.reads || use.is_implied) continue;
        auto definitions = call.code->data.reaching(call.node, use.dwarf_number);
        if (definitions.nodes.size() != 1 || definitions.from_outside) return std::nullopt;
        auto move = move_into_register(*call.code, definitions.nodes[0], use.dwarf_number);
        if (!move || move->from != From::memory) return std::nullopt;
        return word_by(target, call.at(definitions.nodes[0]), move->access);
    }
    return std::nullopt;
}

}  // namespace

Calls calls(Target& target, PlaceInCode call, const Frame& called) {
    auto address = target_of(target, call);
    if (!address) return Calls::unknown;
    RunAddress function = called.module->to_run(called.function->low());
    return *address == function ? Calls::yes : Calls::no;
}

}  // namespace lantern
