// Calls, casts and arithmetic of an expression.
#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "core/expressions/arithmetic.h"
#include "core/expressions/cases.h"
#include "core/expressions/container_operators.h"
#include "core/expressions/conversion.h"
#include "core/expressions/evaluation.h"
#include "core/expressions/name_lookup.h"
#include "core/expressions/questions.h"
#include "core/expressions/refusals.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/active_variant.h"
#include "core/values/builtin_types.h"
#include "core/values/dynamic_type.h"
#include "core/values/library/library_view.h"
#include "core/values/register_types.h"
#include "core/values/variable_value.h"

namespace lantern {

Value Evaluation::call(const Node& node) {
    const Node& callee = *node.children[0];
    std::vector<Value> arguments;
    for (std::size_t i = 1; i < node.children.size(); ++i)
        arguments.push_back(operand(*node.children[i]));
    if (auto answer = answered_by_view(callee, arguments)) return std::move(*answer);
    if (language_ == Language::rust && callee.kind == NodeKind::name)
        if (auto made = case_called(reader_, callee.text, in_order(arguments), callee.column))
            return std::move(*made);
    Value function;
    if (callee.kind == NodeKind::member || callee.kind == NodeKind::arrow)
        function = method(callee, arguments);
    else if (callee.kind == NodeKind::name)
        function = named_function(callee, arguments.size());
    else
        function = operand(callee);
    if (plain(*function.type).kind == TypeKind::pointer &&
        plain(target_of(plain(*function.type))).kind == TypeKind::function)
        function = reader_.dereference(function);
    const Type& type = plain(*function.type);
    if (type.kind != TypeKind::function || !function.address)
        fail(node, fmt::format("{} is no function", type_text(*function.type)));
    if (unevaluated_) return value_of_bytes(type.target ? *type.target : long_type(), {});
    if (!context_.call)
        fail(node, "functions of the program are not called unless you allow it",
             Next::allow_calls);
    std::string name = callee.text.empty() ? "the function" : callee.text;
    if (type.target && !type.is_variadic && arguments.size() != type.parameters.size())
        fail(node,
             fmt::format("{} takes {}, and {} given", name,
                         counted(type.parameters.size(), "argument"),
                         arguments.size() == 1 ? "1 is" : fmt::format("{} are", arguments.size())));
    for (std::size_t i = 0; i < std::min(arguments.size(), type.parameters.size()); ++i)
        arguments[i] = as_parameter(node, arguments[i], *type.parameters[i]);
    return context_.call({name, *function.address, &type, std::move(arguments)});
}

// barges.size(): what the view of a library's type can tell.
std::optional<Value> Evaluation::answered_by_view(const Node& callee,
                                                  const std::vector<Value>& arguments) {
    if (callee.kind != NodeKind::member && callee.kind != NodeKind::arrow) return std::nullopt;
    Value object = operand(*callee.children[0]);
    if (callee.kind == NodeKind::arrow) object = dereferenced(callee, *callee.children[0], object);
    for (unsigned depth = 0; depth < 8 && object.is_available(); ++depth) {
        if (has_callable_member(object, callee.text)) return std::nullopt;
        if (auto answer = answer_to(reader_, object, callee.text, arguments, language_))
            return answer;
        if (language_ != Language::rust) return std::nullopt;
        // Rust looks through references and owners.
        auto owned = plain(*object.type).kind == TypeKind::pointer && reader_.integer(object)
                         ? reader_.dereference(object)
                         : target_of_owner(reader_, object);
        if (!owned) return std::nullopt;
        object = *owned;
    }
    return std::nullopt;
}

bool Evaluation::has_callable_member(const Value& object, const std::string& name) {
    if (plain(*object.type).kind != TypeKind::structure) return false;
    auto member = reader_.member_named(object, name);
    return member && plain(*member->type).kind == TypeKind::pointer &&
           plain(target_of(plain(*member->type))).kind == TypeKind::function;
}

Fields Evaluation::in_order(const std::vector<Value>& values) {
    Fields fields;
    for (const Value& value : values)
        fields.emplace_back(fmt::format("__{}", fields.size()), value);
    return fields;
}

// Gate::Open { width: 3 }
Value Evaluation::structure(const Node& node) {
    Fields fields;
    for (const auto& field : node.children) fields.emplace_back(field->field, operand(*field));
    if (auto made = case_called(reader_, node.text, fields, node.column)) return std::move(*made);
    fail(node, fmt::format("the program has no structure or variant {}", node.text),
         "write a variant with its enum: Gate::Open { width: 3 }");
}

Value Evaluation::matches(const Node& node) {
    Value value = operand(*node.children[0]);
    require_available(node, value);
    bool fits = fits_pattern(reader_, value, *node.children[1],
                             [this](const Node& inner) { return operand(inner); });
    return value_of_integer(truth_type(language_), fits);
}

Value Evaluation::as_parameter(const Node& node, const Value& argument, const Type& parameter) {
    require_available(node, argument);
    if (plain(parameter).kind == TypeKind::reference)
        return value_of_integer(
            parameter,
            reader_.integer(address_of(
                node, converted_along_classes(reader_, argument, parameter, node.column))));
    return converted_along_classes(reader_, argument, parameter, node.column);
}

Value Evaluation::named_function(const Node& callee, std::size_t arguments) {
    Value value = value_of_name(callee, context_, reader_, bindings_);
    if (plain(*value.type).kind != TypeKind::function) return referred(value);
    return function_value(*context_.target, callee.text, arguments).value_or(value);
}

Value Evaluation::method(const Node& callee, std::vector<Value>& arguments) {
    Value object = operand(*callee.children[0]);
    if (callee.kind == NodeKind::arrow) object = dereferenced(callee, *callee.children[0], object);
    if (auto member = reader_.member_named(object, callee.text))
        return referred(*member);  // a pointer to a function
    auto found = method_value(reader_, object, callee.text, arguments.size());
    if (!found) {
        auto known = questions_for(*object.type, language_);
        fail(callee,
             fmt::format("{} has no function {} with code of its own that takes {}",
                         type_text(*object.type), callee.text,
                         counted(arguments.size(), "argument")),
             known.empty()
                 ? ""
                 : fmt::format("without running anything it answers {}", join_with(known, "and")));
    }
    arguments.insert(arguments.begin(), address_of(callee, object));
    return *found;
}

// What only its type is asked of runs nothing: a call is a value of the type it returns (C17
// §6.5.3.4).
Value Evaluation::unevaluated(const Node& node) {
    struct Depth {
        explicit Depth(unsigned& depth) : depth_(depth) { ++depth_; }
        ~Depth() { --depth_; }
        unsigned& depth_;
    } depth(unevaluated_);
    return operand(node);
}

Value Evaluation::conditional(const Node& node) {
    bool yes = reader_.truth(number_operand(*node.children[0]));
    Value chosen = operand(*node.children[yes ? 1 : 2]);
    if (!chosen.is_available() ||
        !(is_arithmetic(chosen) || plain(*chosen.type).kind == TypeKind::pointer))
        return chosen;
    // Its type depends on both (C17 §6.5.15); the other side may have no value to ask for.
    try {
        Value other = unevaluated(*node.children[yes ? 2 : 1]);
        bring_to_common_class(reader_, chosen, other, node.column);
        if (is_arithmetic(chosen) && is_arithmetic(other))
            return converted(reader_, chosen,
                             common(promoted(chosen, language_), promoted(other, language_)),
                             node.column);
    } catch (const Error&) {
    }
    return chosen;
}

bool Evaluation::is_arithmetic(const Value& value) {
    return is_scalar(*value.type) && plain(*value.type).kind != TypeKind::pointer &&
           plain(*value.type).kind != TypeKind::reference;
}

void Evaluation::require_available(const Node& node, const Value& value) {
    if (!value.is_available()) fail(node, fmt::format("there is no value: {}", value.unavailable));
}

void Evaluation::require_number(const Node& node, const Value& operand) {
    if (!is_scalar(*operand.type) && !is_pointer_like(operand)) refuse_number(node, *operand.type);
    require_available(node, operand);
}

// What a number is computed with: Rust's references to numbers are looked through, wrappings of
// one value are opened.
void Evaluation::open_wrappings(Value& value) {
    while (language_ == Language::rust && value.is_available() &&
           is_rust_reference(plain(*value.type)))
        value = reader_.dereference(value);
    if (plain(*value.type).kind != TypeKind::structure || !value.is_available()) return;
    const LibraryView* view = library_view(*value.type);
    if (!view) return;
    Meaning meaning = view->meaning(reader_, value);
    if (meaning.alone && is_scalar(*meaning.alone->type))
        value = *meaning.alone;
    else if (meaning.pointer)
        value = *meaning.pointer;
}

Value Evaluation::binary(const Node& node) {
    if (node.op == Operator::both || node.op == Operator::either) {
        bool left = reader_.truth(number_operand(*node.children[0]));
        bool decided = node.op == Operator::both ? !left : left;
        return value_of_integer(truth_type(language_),
                                decided ? left : reader_.truth(number_operand(*node.children[1])));
    }
    Value left = operand(*node.children[0]);
    if (auto quick = with_literal(node, left)) return std::move(*quick);
    Value right = operand(*node.children[1]);
    if (node.op == Operator::equal || node.op == Operator::not_equal) {
        if (auto alike = alike_by_meaning(node, left, right))
            return value_of_integer(truth_type(language_), *alike == (node.op == Operator::equal));
    }
    open_wrappings(left);
    open_wrappings(right);
    require_number(*node.children[0], left);
    require_number(*node.children[1], right);
    if (is_pointer_like(left) || is_pointer_like(right)) {
        if (is_comparison(node.op)) bring_to_common_class(reader_, left, right, node.column);
        return pointer_arithmetic(node.op, reader_, left, right, language_);
    }
    take_type_of_other(*node.children[0], left, right);
    take_type_of_other(*node.children[1], right, left);
    const Type& own = promoted(left, language_);
    const Type& type = is_shift(node.op) ? own : common(own, promoted(right, language_));
    if (plain(type).kind == TypeKind::floating)
        return real_arithmetic(node.op, type, reader_.floating(left), reader_.floating(right),
                               language_);
    auto as_operand = [&](const Value& v) { return number_as(type, reader_.wide(v)); };
    return whole_arithmetic(node.op, type, as_operand(left),
                            is_shift(node.op) ? reader_.wide(right) : as_operand(right), language_);
}

// "draught > 12": most of a condition is a whole number beside a literal one, and conditions
// are computed very often.
std::optional<Value> Evaluation::with_literal(const Node& node, const Value& left) {
    const Node& literal = *node.children[1];
    bool plain_literal = literal.kind == NodeKind::literal && !literal.is_untyped &&
                         plain(*literal.type).kind == TypeKind::integer;
    if (!plain_literal || !left.is_available() || left.is_bit_field() ||
        plain(*left.type).kind != TypeKind::integer)
        return std::nullopt;
    const Type& own = promoted(left, language_);
    const Type& type = is_shift(node.op) ? own : common(own, *literal.type);
    return whole_arithmetic(node.op, type, number_as(type, reader_.wide(left)),
                            is_shift(node.op) ? literal.number : number_as(type, literal.number),
                            language_);
}

// A literal of Rust has the type of what it meets.
void Evaluation::take_type_of_other(const Node& node, Value& literal_value, const Value& other) {
    const Node& inner =
        node.kind == NodeKind::unary && !node.children.empty() ? *node.children[0] : node;
    if (!inner.is_untyped) return;
    bool whole_to_whole = plain(*literal_value.type).kind != TypeKind::floating ||
                          plain(*other.type).kind == TypeKind::floating;
    if (!whole_to_whole) return;
    Value adapted = literal(inner, *other.type);
    if (node.kind == NodeKind::literal) literal_value = adapted;
}

// A comparison sees a structure or a text by what it means: name == "Wren" is what anybody who
// types it wants.
std::optional<bool> Evaluation::alike_by_meaning(const Node& node, const Value& left,
                                                 const Value& right) {
    if (!left.is_available() || !right.is_available()) return std::nullopt;
    auto is_literal = [&](int i) {
        return node.children[static_cast<std::size_t>(i)]->kind == NodeKind::string;
    };
    auto is_structure = [](const Value& v) { return plain(*v.type).kind == TypeKind::structure; };
    bool wanted = is_literal(0) || is_literal(1) || is_structure(left) || is_structure(right);
    if (!wanted) return std::nullopt;
    if (language_ == Language::rust) {
        Value a = left, b = right;
        while (is_rust_reference(plain(*a.type))) a = reader_.dereference(a);
        while (is_rust_reference(plain(*b.type))) b = reader_.dereference(b);
        return are_alike(reader_, a, b);
    }
    return are_alike(reader_, left, right);
}

Value Evaluation::number_operand(const Node& node) {
    Value value = operand(node);
    open_wrappings(value);
    require_number(node, value);
    return value;
}

}  // namespace lantern
