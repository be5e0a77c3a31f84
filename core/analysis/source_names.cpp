#include "core/analysis/source_names.h"

#include "core/analysis/statement_parts.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/expressions/evaluator.h"
#include "core/expressions/scope_names.h"
#include "core/machine/calling_convention.h"
#include "core/support/error.h"
#include "core/values/builtin_types.h"
#include "core/values/object_part.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr unsigned kDeepestName = 8;
constexpr std::uint64_t kLargestFunction = 256 * 1024;  // bytes; beyond it nothing is worked out

std::optional<SourceName> named_part(const Type& type, std::uint64_t offset) {
    auto part = scalar_part_at(type, offset);
    return part ? std::optional(SourceName{part->text, part->type}) : std::nullopt;
}

bool is_simple(const std::string& expression) {
    return expression.find_first_of(" *&+(") == std::string::npos;
}

// What lies so far behind where a pointer leads: "barge->next", "*level", "tolls[3]".
std::optional<SourceName> behind_pointer(const SourceName& pointer, std::int64_t offset) {
    const Type& type = plain(*pointer.type);
    if (type.kind != TypeKind::pointer && type.kind != TypeKind::reference) return std::nullopt;
    const Type& target = target_of(type);
    std::uint64_t size = plain(target).size;
    if (!size || offset < 0 || !is_simple(pointer.text)) return std::nullopt;
    auto at = static_cast<std::uint64_t>(offset);
    auto part = named_part(target, at % size);
    if (!part) return std::nullopt;
    bool is_reference = type.kind == TypeKind::reference, has_dot = is_reference || type.is_rust;
    if (at >= size)
        part->text = fmt::format("{}[{}]{}", pointer.text, at / size, part->text);
    else if (part->text.starts_with('.'))
        part->text = pointer.text + (has_dot ? "." : "->") + part->text.substr(1);
    else
        part->text = (is_reference ? "" : "*") + pointer.text + part->text;
    return part;
}

}  // namespace

const Frame* SourceNames::function_frame(unsigned level) {
    const Frame* frame = moment_.stack().frame(level);
    while (frame && frame->is_inlined()) frame = moment_.stack().frame(frame->level + 1);
    return frame;
}

const FunctionCode* SourceNames::code_of(const Module& module, const Function& function) {
    auto [known, is_new] = codes_.try_emplace(&function);
    if (!is_new) return known->second.get();
    for (const FileRange& range : function.ranges)
        if (range.size() > kLargestFunction) return nullptr;
    try {
        known->second = std::make_unique<FunctionCode>(module.symbols(), function);
    } catch (const Error&) {
        return nullptr;
    }
    return known->second.get();
}

std::optional<PlaceInCode> SourceNames::place_of(const Frame& frame) {
    if (!frame.module || !frame.function) return std::nullopt;
    const FunctionCode* code = code_of(*frame.module, *frame.function);
    std::uint32_t node = code ? code->flow.around(frame.file_address()) : FlowGraph::kNone;
    if (node == FlowGraph::kNone) return std::nullopt;
    return PlaceInCode{&frame, code, node};
}

std::optional<std::uint64_t> SourceNames::value_of(const Frame& frame,
                                                   const std::string& expression) {
    EvaluationContext context = context_in(moment_, frame);
    try {
        return ValueReader(moment_.target()).integer(evaluate(expression, context));
    } catch (const Error&) {
        return std::nullopt;
    }
}

std::optional<Value> SourceNames::place_of_name(const Frame& frame, const std::string& expression) {
    EvaluationContext context = context_in(moment_, frame);
    try {
        Value value = evaluate(expression, context);
        bool has_place = value.is_available() && (value.address || value.in_register);
        return has_place ? std::optional(value) : std::nullopt;
    } catch (const Error&) {
        return std::nullopt;
    }
}

// ---- variables

namespace {

// The frames that share the function's code at its address: inlined calls first.
template <class Visit>
void for_each_sharing(const Moment& moment, const Frame& own, Visit visit) {
    unsigned first = own.level;
    while (first > 0) {
        const Frame* inner = moment.stack().frame(first - 1);
        if (!inner || !inner->is_inlined() || inner->call_frame_address != own.call_frame_address)
            break;
        --first;
    }
    for (unsigned level = first; level <= own.level; ++level) visit(*moment.stack().frame(level));
}

}  // namespace

// By the places of the variables at the instruction.
std::optional<SourceName> SourceNames::variable_in(PlaceInCode place, unsigned dwarf_number) {
    if (!place.frame->body) return std::nullopt;
    FileAddress at = place.code->node(place.node).address;
    Frame there = *place.frame;
    there.lookup_address = there.program_counter = there.module->to_run(at);
    for (const ScopeChain& chain : chains_at(*there.body, at)) {
        there.scopes = chain.scopes;
        for (const VisibleVariable& visible : visible_variables(there)) {
            if (visible.is_shadowed) continue;
            Value value =
                value_of_variable(moment_.target(), moment_.thread(), there, *visible.variable);
            bool is_there = value.is_available() && value.in_register &&
                            value.in_register->number == dwarf_number &&
                            value.in_register->offset == 0 && is_scalar(*value.type);
            if (is_there) return SourceName{visible.variable->name, value.type};
        }
    }
    return std::nullopt;
}

std::optional<SourceName> SourceNames::in_slot(PlaceInCode place, std::int64_t slot) {
    if (!place.frame->call_frame_address) return std::nullopt;
    RunAddress address = *place.frame->call_frame_address + static_cast<std::uint64_t>(slot);
    std::optional<SourceName> found;
    for_each_sharing(moment_, *place.frame, [&](const Frame& frame) {
        for (const VisibleVariable& visible : visible_variables(frame)) {
            if (found || visible.is_shadowed) continue;
            Value value =
                value_of_variable(moment_.target(), moment_.thread(), frame, *visible.variable);
            if (!value.is_available() || !value.address || address < *value.address) continue;
            auto part = named_part(*value.type, address - *value.address);
            if (!part) continue;
            part->text = visible.variable->name + part->text;
            found = part;
        }
    });
    return found;
}

FrameSlots::Range SourceNames::object_at(PlaceInCode place, std::int64_t slot, unsigned size) {
    FrameSlots::Range found = FrameSlots::any_object_with(slot, size);
    if (!place.frame->call_frame_address) return found;
    RunAddress frame = *place.frame->call_frame_address,
               address = frame + static_cast<std::uint64_t>(slot);
    for_each_sharing(moment_, *place.frame, [&](const Frame& each) {
        for (const VisibleVariable& visible : visible_variables(each)) {
            Value value =
                value_of_variable(moment_.target(), moment_.thread(), each, *visible.variable);
            std::uint64_t whole = plain(*value.type).size;
            bool holds = value.is_available() && value.address && *value.address <= address &&
                         address < *value.address + whole;
            if (!holds) continue;
            auto low = static_cast<std::int64_t>(value.address->value - frame.value);
            found = {low, low + static_cast<std::int64_t>(whole)};
        }
    });
    return found;
}

std::optional<SourceName> SourceNames::parameter_in(PlaceInCode place, unsigned dwarf_number) {
    if (!place.frame->body) return std::nullopt;
    Frame entry = *place.frame;
    entry.lookup_address = entry.program_counter = entry.module->to_run(entry.function->low());
    unsigned number = 0;
    for (const Variable& variable : place.frame->body->outermost.variables) {
        if (!variable.is_parameter) continue;
        Value value = value_of_variable(moment_.target(), moment_.thread(), entry, variable);
        if (value.in_register && value.in_register->number == dwarf_number)
            return SourceName{variable.name, variable.type};
        // Where it lies in memory from the first instruction on, it came by the next register.
        TypeKind kind = plain(*variable.type).kind;
        bool takes_register = is_scalar(*variable.type) && kind != TypeKind::floating;
        if (!takes_register) {
            if (kind != TypeKind::floating) return std::nullopt;
            continue;
        }
        if (number < std::size(kIntegerParameters) && kIntegerParameters[number] == dwarf_number)
            return SourceName{variable.name, variable.type};
        ++number;
    }
    return std::nullopt;
}

std::optional<SourceName> SourceNames::global_at(PlaceInCode place, RunAddress address) {
    std::string text = moment_.surroundings().object_at(address, pointer_to(void_type()));
    text = text.substr(0, text.find(';'));  // behind it stands what ends there
    if (text.empty() || !is_simple(text)) return std::nullopt;
    EvaluationContext context = moment_.context();
    context.frame = place.frame;
    context.call = {};
    try {
        Value value = evaluate(text, context);
        if (value.address != address) return std::nullopt;
        return SourceName{text, value.type};
    } catch (const Error&) {
        return std::nullopt;
    }
}

// ---- operands

std::optional<SourceName> SourceNames::in_register(PlaceInCode place, unsigned dwarf_number) {
    return named(place, dwarf_number, 0);
}

std::optional<SourceName> SourceNames::in_memory(PlaceInCode place, const MemoryAccess& access) {
    return named(place, access, 0);
}

std::optional<SourceName> SourceNames::named(PlaceInCode place, unsigned dwarf_number,
                                             unsigned depth) {
    if (depth > kDeepestName) return std::nullopt;
    if (auto variable = variable_in(place, dwarf_number)) return variable;
    auto definitions = place.code->data.reaching(place.node, dwarf_number);
    if (definitions.nodes.empty() && definitions.from_outside)
        return parameter_in(place, dwarf_number);
    if (definitions.nodes.size() != 1 || definitions.from_outside) return std::nullopt;
    PlaceInCode made = place.at(definitions.nodes[0]);
    auto move = move_into_register(*made.code, made.node, dwarf_number);
    if (!move) return std::nullopt;
    switch (move->from) {
        case PlainMove::From::in_register: return named(made, move->dwarf_number, depth + 1);
        case PlainMove::From::memory: return named(made, move->access, depth + 1);
        case PlainMove::From::constant: return std::nullopt;
    }
    return std::nullopt;
}

std::optional<SourceName> SourceNames::named(PlaceInCode place, const MemoryAccess& access,
                                             unsigned depth) {
    if (depth > kDeepestName || access.segment != MemoryAccess::Segment::none) return std::nullopt;
    if (auto slot = place.code->slots.slot_of(place.node, access)) {
        if (auto variable = in_slot(place, *slot)) return variable;
        // The compiler's own copy of something.
        auto stores = place.code->slots.reaching(place.node, *slot, access.size,
                                                 object_at(place, *slot, access.size));
        bool is_one = stores.nodes.size() == 1 && !stores.from_outside && !stores.may_be_others;
        auto move = is_one ? move_into_memory(*place.code, stores.nodes[0]) : std::nullopt;
        if (!move || move->from != PlainMove::From::in_register) return std::nullopt;
        return named(place.at(stores.nodes[0]), move->dwarf_number, depth + 1);
    }
    if (access.base == kProgramCounterNumber && !access.index) {
        FileAddress at =
            place.code->node(place.node).behind() + static_cast<std::uint64_t>(access.displacement);
        return global_at(place, place.frame->module->to_run(at));
    }
    if (auto name = behind(place, access, depth)) return name;
    return depth <= 1 ? at_computed_address(place, access) : std::nullopt;
}

std::optional<SourceName> SourceNames::at_computed_address(PlaceInCode place,
                                                           const MemoryAccess& access) {
    auto address = computed_address(place, access);
    return address ? global_at(place, RunAddress(*address)) : std::nullopt;
}

std::optional<SourceName> SourceNames::behind(PlaceInCode place, const MemoryAccess& access,
                                              unsigned depth) {
    if (!access.base || access.base == kStackPointerNumber) return std::nullopt;
    auto pointer = named(place, *access.base, depth + 1);
    if (!pointer) return std::nullopt;
    if (!access.index) return behind_pointer(*pointer, access.displacement);
    auto index = named(place, *access.index, depth + 1);
    const Type& type = plain(*pointer->type);
    bool is_element = index && type.kind == TypeKind::pointer && is_simple(pointer->text) &&
                      plain(target_of(type)).size == access.scale && access.displacement == 0 &&
                      is_scalar(target_of(type));
    if (!is_element) return std::nullopt;
    return SourceName{fmt::format("{}[{}]", pointer->text, index->text), &target_of(type)};
}

}  // namespace lantern
