#include "core/expressions/name_lookup.h"

#include <fmt/format.h>

#include <map>

#include <algorithm>

#include "core/expressions/cases.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/places.h"
#include "core/symbols/removed_variable.h"
#include "core/values/builtin_types.h"
#include "core/values/dynamic_type.h"
#include "core/values/library/library_view.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

const Variable* local_variable(const Node& node, const Frame& frame) {
    auto found = find_visible(frame, node.text, node.chosen);
    return found ? found->variable : nullptr;
}

// Inside a method the object's members are known by their bare names; a lambda's captures are
// members of its object.
std::optional<Value> member_of_this(const std::string& name, const EvaluationContext& context,
                                    const ValueReader& reader) {
    if (!context.frame) return std::nullopt;
    Node this_node;
    this_node.text = "this";
    const Variable* variable = local_variable(this_node, *context.frame);
    if (!variable) return std::nullopt;
    Value pointer = value_of_variable(*context.target, context.thread, *context.frame, *variable);
    if (!pointer.is_available() || plain(*pointer.type).kind != TypeKind::pointer)
        return std::nullopt;
    Value object = reader.dereference(pointer);
    if (plain(*object.type).kind != TypeKind::structure) return std::nullopt;
    for (const std::string& spelling : {name, "__" + name})
        if (auto found = reader.member_named(object, spelling)) return found;
    if (auto outer = reader.member_named(object, "__this"))
        return reader.member_named(reader.dereference(*outer), name);
    return std::nullopt;
}

const Type& unknown_code() {
    static const Type type = [] {
        Type made;
        made.kind = TypeKind::function;
        return made;
    }();
    return type;
}

// Bytes that nothing says more of.
const Type& unknown_data(std::uint64_t size) {
    constexpr std::uint64_t kMost = 64;
    static std::map<std::uint64_t, Type> types;
    auto [found, is_new] = types.try_emplace(std::clamp<std::uint64_t>(size, 1, kMost));
    if (is_new) {
        found->second.kind = TypeKind::unknown;
        found->second.name = "data of an unknown type";
        found->second.size = found->first;
    }
    return found->second;
}

// A name that only the linker knows: its address is all there is.
std::optional<Value> symbol_value(Target& target, const std::string& name) {
    for (const Module& module : target.modules())
        if (const ElfSymbol* symbol = module.symbols().symbol_table().named(name);
            symbol && (symbol->is_global || !module.is_system_library()))
            return value_in_memory(
                symbol->is_function ? unknown_code() : unknown_data(symbol->size),
                module.to_run(symbol->address));
    return std::nullopt;
}

// A variable of that name in a block of the function that does not hold where the frame stands.
const Variable* out_of_scope(const Scope& scope, const std::string& name, const Scope*& holder) {
    for (const auto& inner : scope.inner)
        if (const Variable* found = inner->inlined ? nullptr : out_of_scope(*inner, name, holder))
            return found;
    for (const Variable& variable : scope.variables) {
        if (variable.name != name) continue;
        holder = &scope;
        return &variable;
    }
    return nullptr;
}

[[noreturn]] void not_in_scope(const Node& node, const Frame& frame, const Variable& variable,
                               const Scope& scope) {
    auto lines = lines_of(frame, scope.ranges);
    std::string where =
        lines ? fmt::format(" and in scope from line {} to {}", lines->first, lines->last) : "";
    throw ExpressionError(fmt::format("{} is out of scope here: it is declared at line {}{}",
                                      node.text, variable.declared_line, where),
                          node.column, "stop there to see it");
}

[[noreturn]] void unknown_name(const Node& node, const EvaluationContext& context) {
    std::vector<std::string> near =
        nearest_names(node.text, known_names(*context.target, context.frame));
    std::string what = node.chosen.empty()
                           ? fmt::format("nothing here is called {}", node.text)
                           : fmt::format("no {} here is the one of {}", node.text, node.chosen);
    throw ExpressionError(what, node.column, did_you_mean(near, Next::list_locals));
}

[[noreturn]] void means_nothing(const Node& node, const EvaluationContext& context) {
    const Scope* holder = nullptr;
    const Variable* elsewhere =
        context.frame && context.frame->body && node.chosen.empty()
            ? out_of_scope(context.frame->body->outermost, node.text, holder)
            : nullptr;
    if (elsewhere) not_in_scope(node, *context.frame, *elsewhere, *holder);
    if (context.frame && context.frame->module && context.frame->function)
        if (auto removed = removed_variable(context.frame->module->symbols(),
                                            *context.frame->function->unit, node.text))
            throw ExpressionError(
                fmt::format("the compiler removed {}: it is declared at {}:{} and has no place "
                            "anywhere",
                            node.text, removed->file.substr(removed->file.rfind('/') + 1),
                            removed->line),
                node.column, "build with less optimisation to see it");
    unknown_name(node, context);
}

std::optional<Value> word_of_the_language(const std::string& word, Language language) {
    if (word == "true" || word == "false")
        return value_of_integer(language == Language::c ? int_type() : bool_type(), word == "true");
    if (word == "nullptr" || word == "NULL") return value_of_integer(pointer_to(void_type()), 0);
    return std::nullopt;
}

std::optional<Value> bound_value(const Binding& binding, const Node& node,
                                 const EvaluationContext& context, const ValueReader& reader) {
    switch (binding.kind) {
        case Binding::Kind::local:
            return value_of_variable(*context.target, context.thread, *context.frame,
                                     *binding.variable);
        case Binding::Kind::of_this: return member_of_this(node.text, context, reader);
        case Binding::Kind::constant: return binding.constant;
        case Binding::Kind::global:
            for (const Module& module : context.target->modules())
                if (&module.symbols() == binding.module)
                    return value_of_global(*context.target, context.thread, context.frame, module,
                                           binding.global);
    }
    return std::nullopt;
}

}  // namespace

const Binding* Bindings::of(const Node& name, const EvaluationContext& context) {
    const Frame* frame = context.frame;
    const Function* function = frame ? frame->function : nullptr;
    const Scope* innermost = frame && !frame->scopes.empty() ? frame->scopes.front() : nullptr;
    if (function != function_ || innermost != innermost_) by_place_.clear();
    function_ = function;
    innermost_ = innermost;
    return name.place < by_place_.size() ? by_place_[name.place].get() : nullptr;
}

Binding& Bindings::bind(const Node& name, Binding::Kind kind) {
    if (by_place_.size() <= name.place) by_place_.resize(name.place + 1);
    by_place_[name.place] = std::make_unique<Binding>();
    by_place_[name.place]->kind = kind;
    return *by_place_[name.place];
}

Value value_of_name(const Node& node, const EvaluationContext& context, const ValueReader& reader,
                    Bindings& bindings) {
    if (context.self && node.chosen.empty())
        if (auto member = reader.member_named(*context.self, node.text)) return *member;
    if (const Binding* binding = bindings.of(node, context))
        if (auto value = bound_value(*binding, node, context, reader)) return std::move(*value);
    bool only_global = node.text.starts_with("::");
    std::string name = only_global ? node.text.substr(2) : node.text;
    if (context.frame && !only_global) {
        if (const Variable* variable = local_variable(node, *context.frame)) {
            bindings.bind(node, Binding::Kind::local).variable = variable;
            return value_of_variable(*context.target, context.thread, *context.frame, *variable);
        }
        if (node.chosen.empty()) {
            if (auto member = member_of_this(name, context, reader)) {
                bindings.bind(node, Binding::Kind::of_this);
                return *member;
            }
        }
    }
    const Module* module = nullptr;
    std::string chosen =
        context.frame && frame_function_name(*context.frame) == node.chosen ? "" : node.chosen;
    if (auto global = find_global(*context.target, context.frame, name, module, chosen)) {
        Binding& binding = bindings.bind(node, Binding::Kind::global);
        binding.global = *global;
        binding.module = &module->symbols();
        return value_of_global(*context.target, context.thread, context.frame, *module, *global);
    }
    if (node.chosen.empty()) {
        std::optional<Value> constant = word_of_the_language(name, context.language());
        if (!constant)
            if (auto enumerator = find_enumerator(*context.target, name)) {
                // In C an enumerator is an int (C17 §6.7.2.2).
                bool as_int = context.language() == Language::c && enumerator->value >= INT32_MIN &&
                              enumerator->value <= INT32_MAX;
                constant = value_of_integer(as_int ? int_type() : *enumerator->type,
                                            static_cast<std::uint64_t>(enumerator->value));
            }
        if (constant) {
            bindings.bind(node, Binding::Kind::constant).constant = *constant;
            return *constant;
        }
        if (context.language() == Language::rust)
            if (auto found = case_called(reader, name, {}, node.column)) return *found;
        if (auto function = function_value(*context.target, name)) return *function;
        if (auto symbol = symbol_value(*context.target, name)) return *symbol;
    }
    means_nothing(node, context);
}

namespace {

const Type* member_called(const Type& object, const std::string& name) {
    return plain(object).kind == TypeKind::structure ? type_at_path(object, name) : nullptr;
}

// By its type alone: whether `this` has such a member, or the object around a lambda.
bool is_member_of_this(const std::string& name, const Frame& frame) {
    auto own = find_visible(frame, "this");
    const Type* object = own ? &target_of(plain(*own->variable->type)) : nullptr;
    for (unsigned depth = 0; object && depth < 4; ++depth) {
        if (member_called(*object, name) || member_called(*object, "__" + name)) return true;
        const Type* outer = member_called(*object, "__this");
        object = outer ? &target_of(plain(*outer)) : nullptr;
    }
    return false;
}

bool is_known(const Node& node, const EvaluationContext& context, const ValueReader& reader) {
    std::string name = node.text.starts_with("::") ? node.text.substr(2) : node.text;
    if (context.frame && find_visible(*context.frame, name, node.chosen)) return true;
    if (context.frame && is_member_of_this(name, *context.frame)) return true;
    const Module* module = nullptr;
    std::string chosen =
        context.frame && frame_function_name(*context.frame) == node.chosen ? "" : node.chosen;
    if (find_global(*context.target, context.frame, name, module, chosen)) return true;
    if (!node.chosen.empty()) return false;
    return word_of_the_language(name, context.language()) ||
           find_enumerator(*context.target, name) ||
           (context.language() == Language::rust && case_called(reader, name, {}, node.column)) ||
           function_value(*context.target, name) || symbol_value(*context.target, name);
}

void require_known_names(const Node& node, const EvaluationContext& context,
                         const ValueReader& reader) {
    if (node.kind == NodeKind::name && !is_known(node, context, reader))
        means_nothing(node, context);
    bool calls_a_name = node.kind == NodeKind::call && !node.children.empty() &&
                        node.children[0]->kind == NodeKind::name;
    for (std::size_t i = 0; i < node.children.size(); ++i) {
        if (!node.children[i]) continue;                         // the open end of a range
        if (node.kind == NodeKind::matches && i == 1) continue;  // the names in a pattern bind
        if (node.kind == NodeKind::structure && node.children[i]->kind == NodeKind::name) continue;
        if (calls_a_name && i == 0 && context.language() == Language::rust &&
            is_written_as_case(node.children[0]->text))
            continue;
        require_known_names(*node.children[i], context, reader);
    }
}

}  // namespace

void require_known_names(const Node& tree, const EvaluationContext& context) {
    require_known_names(tree, context, ValueReader(*context.target));
}

std::optional<Value> function_value(Target& target, const std::string& name,
                                    std::optional<std::size_t> parameters) {
    std::optional<Value> first;
    for (const Module& module : target.modules()) {
        for (const Function* function : module.symbols().functions_named(name)) {
            if (!function->has_code()) continue;
            Value value = value_in_memory(module.symbols().type_of(*function),
                                          module.to_run(function->low()));
            if (!parameters || value.type->parameters.size() == *parameters) return value;
            if (!first) first = value;
        }
    }
    return first;
}

std::optional<Value> method_value(const ValueReader& reader, Value& object, const std::string& name,
                                  std::size_t arguments) {
    if (auto whole = dynamic_type(reader, object); whole && whole->is_other) object = whole->object;
    const Type& type = plain(*object.type);
    std::string qualified = type.full_name() + "::" + name;
    if (auto found = function_value(reader.target(), qualified, arguments + 1);
        found && found->type->parameters.size() == arguments + 1)
        return found;
    for (const Member& member : type.members()) {
        if (!member.is_base_class) continue;
        Value base = reader.member(object, member);
        // A base's own table would lead back to the whole object.
        std::string in_base = plain(*base.type).full_name() + "::" + name;
        auto found = function_value(reader.target(), in_base, arguments + 1);
        if (!found || found->type->parameters.size() != arguments + 1) continue;
        object = base;
        return found;
    }
    return std::nullopt;
}

const Type* FrameNames::type(const std::string& name) const {
    // A variable of that name wins over a type: `(level)` is brackets around a variable.
    if (context_.frame && !visible_of_name(*context_.frame, name).empty()) return nullptr;
    if (context_.self)
        for (const Member& member : plain(*context_.self->type).members())
            if (member.name == name) return nullptr;
    return find_type(*context_.target, name);
}

namespace {

std::optional<Macro> macro_of(const dwarf::MacroDefinition& definition) {
    auto macro = parse_macro(definition.text);
    if (macro) {
        macro->file = definition.file;
        macro->line = definition.line;
    }
    return macro;
}

}  // namespace

// Where nothing runs, what holds at the end of the unit that main is in.
std::optional<Macro> FrameNames::macro(const std::string& name) const {
    if (context_.language() == Language::rust) return std::nullopt;
    const Frame* frame = context_.frame;
    if (frame && frame->function && frame->module) {
        if (find_visible(*frame, name)) return std::nullopt;
        auto found = frame->line
                         ? frame->module->symbols().macro_at(*frame->function->unit, name,
                                                             frame->line->file, frame->line->line)
                         : frame->module->symbols().macro_at(*frame->function->unit, name, "", 0);
        return found ? macro_of(*found) : std::nullopt;
    }
    if (frame) return std::nullopt;
    for (const Module& module : context_.target->modules())
        for (const Function* main : module.symbols().functions_named("main"))
            if (auto found = module.symbols().macro_at(*main->unit, name, "", 0))
                return macro_of(*found);
    return std::nullopt;
}

bool FrameNames::is_template_id(const std::string& name) const {
    const Module* module = nullptr;
    return function_value(*context_.target, name) ||
           find_global(*context_.target, context_.frame, name, module);
}

}  // namespace lantern
