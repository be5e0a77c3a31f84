#include "core/expressions/evaluator.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <span>
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

unsigned Results::add(const Value& value) {
    numbered_.push_back(value);
    return static_cast<unsigned>(numbered_.size());
}

void Results::keep(const std::string& name, const Value& value) {
    named_[name] = value;
}

const Value* Results::find(const std::string& name) const {
    if (name.empty()) return numbered_.empty() ? nullptr : &numbered_.back();
    if (std::all_of(name.begin(), name.end(), [](unsigned char c) { return std::isdigit(c); })) {
        if (name.size() > 9) return nullptr;
        std::size_t number = std::stoul(name);
        return number >= 1 && number <= numbered_.size() ? &numbered_[number - 1] : nullptr;
    }
    auto found = named_.find(name);
    return found == named_.end() ? nullptr : &found->second;
}

void Results::clear() {
    numbered_.clear();
    named_.clear();
}

Language EvaluationContext::language() const {
    const dwarf::Unit* unit = frame && frame->function ? frame->function->unit : nullptr;
    if (!unit && self && self->type && plain(*self->type).is_rust) return Language::rust;
    if (!unit) return Language::c;
    return unit->is_rust()        ? Language::rust
           : unit->is_cplusplus() ? Language::cplusplus
                                  : Language::c;
}

namespace {

constexpr std::uint64_t kLargestPart = 100'000;  // elements of one [a..b]

}  // namespace

Value Evaluation::value(const Node& node) {
    try {
        return compute(node);
    } catch (const ExpressionError&) {
        throw;
    } catch (const Error& error) {
        throw ExpressionError(error.what(), node.column, error.advice());
    }
}

// References stand for what they refer to.
Value Evaluation::operand(const Node& node) {
    Value result = value(node);
    if (plain(*result.type).kind == TypeKind::reference && result.is_available())
        result = reader_.dereference(result);
    return result;
}

void Evaluation::fail(const Node& node, const std::string& what, Advice advice) {
    throw ExpressionError(what, node.column, std::move(advice));
}

Value Evaluation::referred(Value value) const {
    if (value.is_available() && plain(*value.type).kind == TypeKind::reference)
        return reader_.dereference(value);
    return value;
}

Value Evaluation::compute(const Node& node) {
    switch (node.kind) {
        case NodeKind::literal: return literal(node, *node.type);
        case NodeKind::string: return text(node);
        case NodeKind::name: return value_of_name(node, context_, reader_, bindings_);
        case NodeKind::cpu_register: return cpu_register(node);
        case NodeKind::result: return result(node);
        case NodeKind::unary: return unary(node);
        case NodeKind::binary: return binary(node);
        case NodeKind::conditional: return conditional(node);
        case NodeKind::comma: value(*node.children[0]); return value(*node.children[1]);
        case NodeKind::member: return member_of(node, value(*node.children[0]));
        case NodeKind::arrow: return arrow(node);
        case NodeKind::index: return index(node);
        case NodeKind::range: return range(node);
        case NodeKind::member_pointer: return through_member_pointer(node);
        case NodeKind::call: return call(node);
        case NodeKind::cast: return cast(node, converted_along_classes);
        case NodeKind::static_cast_: return cast(node, statically_cast);
        case NodeKind::reinterpret_cast_: return cast(node, reinterpreted);
        case NodeKind::dynamic_cast_: return cast(node, dynamically_cast);
        case NodeKind::size_of_value: return size_of(node, *unevaluated(*node.children[0]).type);
        case NodeKind::size_of_type: return size_of(node, referred_type(*node.type));
        case NodeKind::align_of_value:
            return number_of_bytes(alignment_of(*unevaluated(*node.children[0]).type));
        case NodeKind::align_of_type:
            return number_of_bytes(alignment_of(referred_type(*node.type)));
        case NodeKind::structure: return structure(node);
        case NodeKind::matches: return matches(node);
        case NodeKind::anything:
        case NodeKind::rest:
        case NodeKind::alternatives:
            fail(node, "this belongs into a pattern", "matches!(VALUE, PATTERN)");
    }
    return {};
}

const Type& Evaluation::referred_type(const Type& type) {
    return plain(type).kind == TypeKind::reference ? target_of(plain(type)) : type;
}

Value Evaluation::number_of_bytes(std::uint64_t count) {
    return value_of_integer(
        language_ == Language::rust ? *rust_base_type("usize") : unsigned_long_type(), count);
}

Value Evaluation::size_of(const Node& node, const Type& type) {
    if (plain(type).is_incomplete)
        fail(node,
             fmt::format("{} is declared but defined nowhere in the program: its size is not known",
                         type_text(type)));
    return number_of_bytes(plain(type).size);
}

Value Evaluation::literal(const Node& node, const Type& type) {
    bool real = plain(type).kind == TypeKind::floating;
    return real ? value_of_floating(type, node.real) : value_of_integer(type, node.number);
}

Value Evaluation::text(const Node& node) {
    const Type& letter = *node.type;
    std::size_t unit = plain(letter).size;
    std::vector<std::byte> bytes = units_of(node.text, static_cast<unsigned>(unit));
    bytes.resize(bytes.size() + unit);  // its terminator
    const Type& type = array_of(letter, bytes.size() / unit);
    return value_of_bytes(type, bytes);
}

Value Evaluation::cpu_register(const Node& node) {
    auto found = find_register(node.text);
    if (!found) {
        auto near = nearest_names(node.text, register_names());
        fail(node, fmt::format("the processor has no register {}", node.text),
             near.empty() ? "" : fmt::format("did you mean %{}?", join_with(near, "or %")));
    }
    if (!context_.frame)
        fail(node, "there are no registers: the program is not running", Next::launch);
    return value_of_register(*context_.target, context_.thread, *context_.frame, *found,
                             type_of_register(*found));
}

Value Evaluation::result(const Node& node) {
    const Value* found = context_.results ? context_.results->find(node.text) : nullptr;
    if (!found) {
        fail(node,
             node.text.empty() ? "there is no result yet"
                               : fmt::format("there is no result @{}", node.text),
             Next::make_result);
    }
    return *found;
}

Value Evaluation::unary(const Node& node) {
    const Node& inner = *node.children[0];
    if (node.op == Operator::address) {
        Value value = operand(inner);
        bool is_written_down = language_ == Language::rust && !value.address && !value.in_register;
        bool is_part = language_ == Language::rust && inner.kind == NodeKind::range;
        return is_written_down || is_part
                   ? value
                   : address_of(node,
                                value);  // &3 and &levels[1..]: Rust compares what they refer to
    }
    Value value = operand(inner);
    if (node.op == Operator::dereference) return dereferenced(node, inner, value);
    require_available(node, value);
    bool is_boolean = plain(*value.type).kind == TypeKind::boolean;
    if (node.op == Operator::logical_not && (language_ != Language::rust || is_boolean)) {
        require_number(node, value);
        return value_of_integer(truth_type(language_), !reader_.truth(value));
    }
    require_number(node, value);
    const Type& type = promoted(value, language_);
    if (plain(type).kind == TypeKind::floating) {
        if (node.op == Operator::bit_not || node.op == Operator::logical_not)
            fail(node, "~ needs a whole number");
        long double number = reader_.floating(value);
        return value_of_floating(type, node.op == Operator::minus ? -number : number);
    }
    Wide number = reader_.wide(value);
    if (node.op == Operator::minus) number = 0 - number;
    if (node.op == Operator::bit_not || node.op == Operator::logical_not) number = ~number;
    return value_of_integer(type, number);
}

Value Evaluation::dereferenced(const Node& node, const Node& inner, const Value& pointer) {
    const Type& type = plain(*pointer.type);
    if (type.kind == TypeKind::array) return reader_.element(pointer, 0);
    if (type.kind == TypeKind::function) return pointer;
    if (type.kind == TypeKind::structure)
        if (auto target = target_of_owner(reader_, pointer)) return std::move(*target);
    if (type.kind != TypeKind::pointer && type.kind != TypeKind::reference)
        refuse_dereference(node, *pointer.type);
    require_target(node, type);
    refuse_null(inner, pointer);
    return reader_.dereference(pointer);
}

void Evaluation::refuse_null(const Node& node, const Value& pointer) {
    if (pointer.is_available() && !pointer.removed_target && reader_.pointed_at(pointer).value == 0)
        fail(node, "the pointer is null: it points at nothing",
             "stack and caller show where it came from");
}

Value Evaluation::address_of(const Node& node, const Value& operand) {
    if (!operand.is_available())
        fail(node, fmt::format("it has no address: {}", operand.unavailable));
    if (operand.is_bit_field()) fail(node, "a bit-field has no address");
    if (!operand.address) {
        fail(node, operand.in_register ? fmt::format("it has no address: it is in {}",
                                                     register_name(operand.in_register->number))
                                       : "it has no address: it is only a computed value");
    }
    return value_of_integer(pointer_to(*operand.type), operand.address->value);
}

Value Evaluation::arrow(const Node& node) {
    Value pointer = operand(*node.children[0]);
    const Type& type = plain(*pointer.type);
    if (type.kind == TypeKind::structure) {
        if (auto target = target_of_owner(reader_, pointer)) return member_of(node, *target);
    }
    bool leads_somewhere = type.kind == TypeKind::pointer || type.kind == TypeKind::reference ||
                           type.kind == TypeKind::array;
    if (!leads_somewhere) refuse_arrow(node, *pointer.type);
    refuse_null(*node.children[0], pointer);
    return member_of(node, type.kind == TypeKind::array ? reader_.element(pointer, 0)
                                                        : reader_.dereference(pointer));
}

// Rust goes through references, boxes and owners by itself.
Value Evaluation::looked_through(const Node& node, Value structure) {
    for (int depth = 0; depth < 8; ++depth) {
        const Type& type = plain(*structure.type);
        bool reaches_through = type.kind == TypeKind::reference ||
                               (language_ == Language::rust && type.kind == TypeKind::pointer);
        if (reaches_through) {
            refuse_null(*node.children[0], structure);
            structure = reader_.dereference(structure);
            continue;
        }
        if (language_ != Language::rust || type.kind != TypeKind::structure) return structure;
        if (reader_.member_named(structure, node.text) ||
            reader_.member_named(structure, "__" + node.text))
            return structure;
        auto owned = target_of_owner(reader_, structure);
        if (!owned) return structure;
        structure = *owned;
    }
    return structure;
}

Value Evaluation::member_of(const Node& node, Value structure) {
    structure = looked_through(node, std::move(structure));
    const Type& type = plain(*structure.type);
    if (node.children[0]->kind == NodeKind::cpu_register && type.kind == TypeKind::array) {
        const Type* lanes = lanes_of(node.text, type.size);
        if (!lanes)
            fail(node, fmt::format("a vector register has no lanes {}", node.text),
                 fmt::format("it has {}", lane_words()));
        structure.type = lanes;
        return structure;
    }
    if (type.kind != TypeKind::structure && type.kind != TypeKind::union_)
        refuse_members(node, *structure.type);
    if (auto found = member_somewhere(structure, node.text)) return std::move(*found);
    refuse_unknown_member(node, *structure.type);
}

std::optional<Value> Evaluation::member_somewhere(const Value& structure, const std::string& name) {
    if (auto found = reader_.member_named(structure, name)) return found;
    // Tuple fields, and those of the variant that an enum holds.
    if (auto field = reader_.member_named(structure, "__" + name)) return field;
    if (auto variant = active_variant(reader_, structure);
        variant && plain(*variant->content.type).variants().empty()) {
        for (const std::string& spelling : {name, "__" + name})
            if (auto field = reader_.member_named(variant->content, spelling)) return field;
    }
    auto whole = dynamic_type(reader_, structure);
    return whole && whole->is_other ? reader_.member_named(whole->object, name) : std::nullopt;
}

// object.*pointer, pointer->*pointer (Itanium C++ ABI §2.3)
Value Evaluation::through_member_pointer(const Node& node) {
    Value object = operand(*node.children[0]), member = operand(*node.children[1]);
    if (node.through_pointer) object = dereferenced(node, *node.children[0], object);
    const Type& type = plain(*member.type);
    if (type.kind != TypeKind::member_pointer)
        fail(node, fmt::format("this needs a pointer to a member, and it is {}",
                               type_text(*member.type)));
    if (target_of(type).kind == TypeKind::function)
        fail(node, "a pointer to a member function is only called by the program");
    std::uint64_t offset = 0;
    auto bytes = reader_.content(member);
    std::memcpy(&offset, bytes.data(), std::min<std::size_t>(8, bytes.size()));
    if (offset == ~std::uint64_t{0}) fail(node, "the pointer to member is null");
    if (!object.address) fail(node, "the object does not live in memory");
    return value_in_memory(target_of(type), *object.address + offset);
}

// Rust's references and owners are indexed through.
Value Evaluation::indexable(Value base) {
    for (int depth = 0; depth < 4 && base.is_available(); ++depth) {
        const Type& type = plain(*base.type);
        bool pointer = is_rust_reference(type) || (type.is_rust && type.kind == TypeKind::pointer &&
                                                   language_ == Language::rust);
        if (!pointer) break;
        base = reader_.dereference(base);
    }
    return base;
}

Value Evaluation::index(const Node& node) {
    Value base = indexable(operand(*node.children[0])), position = operand(*node.children[1]);
    require_available(*node.children[0], base);
    if (plain(*base.type).kind == TypeKind::structure) {
        if (auto element = element_of(reader_, base, position)) return std::move(*element);
        open_wrappings(base);  // an iterator
    }
    if (plain(*base.type).kind == TypeKind::structure) {
        if (auto owned = target_of_owner(reader_, base))
            if (auto element = element_of(reader_, *owned, position)) return *element;
    }
    if (plain(*position.type).kind == TypeKind::pointer ||
        plain(*position.type).kind == TypeKind::array)
        std::swap(base, position);  // 3[levels]
    require_elements(node, *base.type);
    require_number(*node.children[1], position);
    return reader_.element(base, static_cast<std::int64_t>(reader_.integer(position)));
}

Value Evaluation::range(const Node& node) {
    Value base = indexable(operand(*node.children[0]));
    require_available(*node.children[0], base);
    std::optional<std::uint64_t> known = plain(*base.type).kind == TypeKind::structure
                                             ? count_of(reader_, base)
                                             : plain(*base.type).count;
    auto end = [&](const std::unique_ptr<Node>& child, std::int64_t otherwise) {
        return child ? static_cast<std::int64_t>(reader_.integer(operand(*child))) : otherwise;
    };
    if (!node.children[2] && !known)
        fail(node, "where this ends is not known", "write the number behind the last element");
    std::int64_t first = end(node.children[1], 0),
                 last = end(node.children[2], static_cast<std::int64_t>(known.value_or(0)));
    if (node.is_inclusive) ++last;
    if (last < first) fail(node, fmt::format("[{}..{}] ends before it begins", first, last));
    std::uint64_t count = static_cast<std::uint64_t>(last) - static_cast<std::uint64_t>(first);
    if (count > kLargestPart)
        fail(node,
             fmt::format("[{}..{}] asks for more than {} elements", first, last, kLargestPart));
    if (plain(*base.type).kind == TypeKind::structure && known)
        return as_slice(part_of_container(reader_, base, first, count));
    require_elements(node, *base.type);
    Value start = reader_.element(base, first);
    if (!start.address) fail(node, "a part can be taken only of what lives in memory");
    Value part = value_in_memory(array_of(*start.type, count), *start.address);
    part.first_index = first;
    return part;
}

// A part of a text of Rust is a text, where the program has a type for it.
Value Evaluation::as_slice(Value part) const {
    bool is_text =
        language_ == Language::rust && part.address && is_character(target_of(*part.type));
    const Type* type = is_text ? find_type(reader_.target(), "&str") : nullptr;
    if (!type || plain(*type).size != 16) return part;
    std::uint64_t words[2] = {part.address->value, *part.type->count};
    return value_of_bytes(*type, std::as_bytes(std::span(words)));
}

Expression::Expression(std::string text, const EvaluationContext& context)
    : text_(std::move(text)),
      tree_(parse_expression(text_, FrameNames(context), context.language())),
      bindings_(std::make_shared<Bindings>()) {}

Value Expression::value(const EvaluationContext& context) const {
    return Evaluation(context, *bindings_).value(*tree_);
}

bool Expression::truth(const EvaluationContext& context) const {
    return ValueReader(*context.target).truth(Evaluation(context, *bindings_).operand(*tree_));
}

Value value_of_node(const Node& node, const EvaluationContext& context) {
    Bindings bindings;
    return Evaluation(context, bindings).value(node);
}

Value evaluate(std::string_view text, const EvaluationContext& context) {
    return Expression(std::string(text), context).value(context);
}

}  // namespace lantern
