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
#include "core/expressions/name_lookup.h"
#include "core/expressions/questions.h"
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
    return unit->is_rust() ? Language::rust : unit->is_cplusplus() ? Language::cplusplus : Language::c;
}

namespace {

constexpr std::uint64_t kLargestPart = 100'000;  // elements of one [a..b]

class Evaluator {
  public:
    explicit Evaluator(const EvaluationContext& context) : context_(context), reader_(*context.target), language_(context.language()) {}

    Value value(Node& node) {
        try {
            return compute(node);
        } catch (const ExpressionError&) {
            throw;
        } catch (const Error& error) {
            throw ExpressionError(error.what(), node.column, error.advice());
        }
    }

    // References stand for what they refer to.
    Value operand(Node& node) {
        Value result = value(node);
        if (plain(*result.type).kind == TypeKind::reference && result.is_available()) result = reader_.dereference(result);
        return result;
    }

  private:
    [[noreturn]] static void fail(const Node& node, const std::string& what, Advice advice = {}) {
        throw ExpressionError(what, node.column, std::move(advice));
    }
    Value referred(Value value) const {
        if (value.is_available() && plain(*value.type).kind == TypeKind::reference) return reader_.dereference(value);
        return value;
    }

    Value compute(Node& node) {
        switch (node.kind) {
            case NodeKind::literal: return literal(node, *node.type);
            case NodeKind::string: return text(node);
            case NodeKind::name: return value_of_name(node, context_, reader_);
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
            case NodeKind::size_of_value: return size_of(plain(*unevaluated(*node.children[0]).type).size);
            case NodeKind::size_of_type: return size_of(plain(referred_type(*node.type)).size);
            case NodeKind::align_of_value: return size_of(alignment_of(*unevaluated(*node.children[0]).type));
            case NodeKind::align_of_type: return size_of(alignment_of(referred_type(*node.type)));
            case NodeKind::structure: return structure(node);
            case NodeKind::matches: return matches(node);
            case NodeKind::anything: case NodeKind::rest: case NodeKind::alternatives: fail(node, "this belongs into a pattern", "matches!(VALUE, PATTERN)");
        }
        return {};
    }

    static const Type& referred_type(const Type& type) { return plain(type).kind == TypeKind::reference ? target_of(plain(type)) : type; }
    Value size_of(std::uint64_t bytes) { return value_of_integer(language_ == Language::rust ? *rust_base_type("usize") : unsigned_long_type(), bytes); }

    // ---- operands

    static Value literal(const Node& node, const Type& type) {
        bool real = plain(type).kind == TypeKind::floating;
        return real ? value_of_floating(type, node.real) : value_of_integer(type, node.number);
    }

    static Value text(const Node& node) {
        const Type& letter = *node.type;
        std::size_t unit = plain(letter).size;
        std::vector<std::byte> bytes = units_of(node.text, static_cast<unsigned>(unit));
        bytes.resize(bytes.size() + unit);  // its terminator
        const Type& type = array_of(letter, bytes.size() / unit);
        return value_of_bytes(type, bytes);
    }

    Value cpu_register(const Node& node) {
        auto found = find_register(node.text);
        if (!found) {
            auto near = nearest_names(node.text, register_names());
            fail(node, fmt::format("the processor has no register {}", node.text),
                 near.empty() ? "" : fmt::format("did you mean %{}?", join_with(near, "or %")));
        }
        if (!context_.frame) fail(node, "there are no registers: the program is not running", Next::launch);
        return value_of_register(*context_.target, context_.thread, *context_.frame, *found, type_of_register(*found));
    }

    Value result(const Node& node) {
        const Value* found = context_.results ? context_.results->find(node.text) : nullptr;
        if (!found) {
            fail(node, node.text.empty() ? "there is no result yet" : fmt::format("there is no result @{}", node.text),
                 Next::make_result);
        }
        return *found;
    }

    // ---- pointers and members

    Value unary(Node& node) {
        Node& inner = *node.children[0];
        if (node.op == Operator::address) {
            Value value = operand(inner);
            bool is_written_down = language_ == Language::rust && !value.address && !value.in_register;
            bool is_part = language_ == Language::rust && inner.kind == NodeKind::range;
            return is_written_down || is_part ? value : address_of(node, value);  // &3 and &levels[1..]: Rust compares what they refer to
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
            if (node.op == Operator::bit_not || node.op == Operator::logical_not) fail(node, "~ needs a whole number");
            long double number = reader_.floating(value);
            return value_of_floating(type, node.op == Operator::minus ? -number : number);
        }
        Wide number = reader_.wide(value);
        if (node.op == Operator::minus) number = 0 - number;
        if (node.op == Operator::bit_not || node.op == Operator::logical_not) number = ~number;
        return value_of_integer(type, number);
    }

    Value dereferenced(const Node& node, const Node& inner, const Value& pointer) {
        const Type& type = plain(*pointer.type);
        if (type.kind == TypeKind::array) return reader_.element(pointer, 0);
        if (type.kind == TypeKind::function) return pointer;
        if (type.kind == TypeKind::structure) {
            if (auto target = target_of_owner(reader_, pointer)) return std::move(*target);
            fail(node, fmt::format("* needs a pointer, and this is {}", type_text(*pointer.type)));
        }
        if (type.kind != TypeKind::pointer && type.kind != TypeKind::reference)
            fail(node, fmt::format("* needs a pointer, and this is {}", type_text(*pointer.type)));
        if (plain(target_of(type)).kind == TypeKind::nothing)
            fail(node, "what a void pointer points at has no type", "cast it first: *(TYPE *)…");
        refuse_null(inner, pointer);
        return reader_.dereference(pointer);
    }

    void refuse_null(const Node& node, const Value& pointer) {
        if (pointer.is_available() && !pointer.removed_target && reader_.pointed_at(pointer).value == 0)
            fail(node, "the pointer is null: it points at nothing", "stack and caller show where it came from");
    }

    Value address_of(const Node& node, const Value& operand) {
        if (!operand.is_available()) fail(node, fmt::format("it has no address: {}", operand.unavailable));
        if (operand.is_bit_field()) fail(node, "a bit-field has no address");
        if (!operand.address) {
            fail(node, operand.in_register ? fmt::format("it has no address: it is in {}", register_name(operand.in_register->number))
                                           : "it has no address: it is only a computed value");
        }
        return value_of_integer(pointer_to(*operand.type), operand.address->value);
    }

    Value arrow(Node& node) {
        Value pointer = operand(*node.children[0]);
        const Type& type = plain(*pointer.type);
        if (type.kind == TypeKind::structure) {
            if (auto target = target_of_owner(reader_, pointer)) return member_of(node, *target);
        }
        bool leads_somewhere = type.kind == TypeKind::pointer || type.kind == TypeKind::reference || type.kind == TypeKind::array;
        if (!leads_somewhere) {
            bool structure = type.kind == TypeKind::structure || type.kind == TypeKind::union_;
            fail(node, fmt::format("-> needs a pointer, and this is {}", type_text(*pointer.type)), structure ? "use . here" : "");
        }
        refuse_null(*node.children[0], pointer);
        return member_of(node, type.kind == TypeKind::array ? reader_.element(pointer, 0) : reader_.dereference(pointer));
    }

    // Rust goes through references, boxes and owners by itself.
    Value looked_through(const Node& node, Value structure) {
        for (int depth = 0; depth < 8; ++depth) {
            const Type& type = plain(*structure.type);
            bool reaches_through = type.kind == TypeKind::reference || (language_ == Language::rust && type.kind == TypeKind::pointer);
            if (reaches_through) {
                refuse_null(*node.children[0], structure);
                structure = reader_.dereference(structure);
                continue;
            }
            if (language_ != Language::rust || type.kind != TypeKind::structure) return structure;
            if (reader_.member_named(structure, node.text) || reader_.member_named(structure, "__" + node.text)) return structure;
            auto owned = target_of_owner(reader_, structure);
            if (!owned) return structure;
            structure = *owned;
        }
        return structure;
    }

    Value member_of(const Node& node, Value structure) {
        structure = looked_through(node, std::move(structure));
        const Type& type = plain(*structure.type);
        if (node.children[0]->kind == NodeKind::cpu_register && type.kind == TypeKind::array) {
            const Type* lanes = lanes_of(node.text, type.size);
            if (!lanes) fail(node, fmt::format("a vector register has no lanes {}", node.text), fmt::format("it has {}", lane_words()));
            structure.type = lanes;
            return structure;
        }
        if (type.kind != TypeKind::structure && type.kind != TypeKind::union_) {
            bool pointer = type.kind == TypeKind::pointer;
            fail(node, fmt::format("{} has no members", type_text(*structure.type)), pointer ? "use -> here" : "");
        }
        if (auto found = member_somewhere(structure, node.text)) return std::move(*found);
        std::vector<std::string> names;
        for (const Member& member : type.members()) names.push_back(member.name);
        auto near = nearest_names(node.text, names);
        if (near.empty()) near = names.size() <= 12 ? names : std::vector<std::string>{};
        fail(node, fmt::format("{} has no member {}", type_text(*structure.type), node.text),
             near.empty() ? "" : fmt::format("it has {}", join_with(near, "and")));
    }

    std::optional<Value> member_somewhere(const Value& structure, const std::string& name) {
        if (auto found = reader_.member_named(structure, name)) return found;
        // Tuple fields, and those of the variant that an enum holds.
        if (auto field = reader_.member_named(structure, "__" + name)) return field;
        if (auto variant = active_variant(reader_, structure); variant && plain(*variant->content.type).variants().empty()) {
            for (const std::string& spelling : {name, "__" + name})
                if (auto field = reader_.member_named(variant->content, spelling)) return field;
        }
        auto whole = dynamic_type(reader_, structure);
        return whole && whole->is_other ? reader_.member_named(whole->object, name) : std::nullopt;
    }

    // object.*pointer, pointer->*pointer (Itanium C++ ABI §2.3)
    Value through_member_pointer(Node& node) {
        Value object = operand(*node.children[0]), member = operand(*node.children[1]);
        if (node.through_pointer) object = dereferenced(node, *node.children[0], object);
        const Type& type = plain(*member.type);
        if (type.kind != TypeKind::member_pointer) fail(node, fmt::format("this needs a pointer to a member, and it is {}", type_text(*member.type)));
        if (target_of(type).kind == TypeKind::function) fail(node, "a pointer to a member function is only called by the program");
        std::uint64_t offset = 0;
        auto bytes = reader_.content(member);
        std::memcpy(&offset, bytes.data(), std::min<std::size_t>(8, bytes.size()));
        if (offset == ~std::uint64_t{0}) fail(node, "the pointer to member is null");
        if (!object.address) fail(node, "the object does not live in memory");
        return value_in_memory(target_of(type), *object.address + offset);
    }

    void require_indexable(const Node& node, const Value& base) {
        const Type& type = plain(*base.type);
        if (type.kind != TypeKind::array && type.kind != TypeKind::pointer)
            fail(node, fmt::format("[] needs an array or a pointer, and this is {}", type_text(*base.type)));
        if (plain(target_of(type)).size == 0) fail(node, fmt::format("the elements of {} have no size", type_text(*base.type)), "cast it first");
    }

    // Rust's references and owners are indexed through.
    Value indexable(Value base) {
        for (int depth = 0; depth < 4 && base.is_available(); ++depth) {
            const Type& type = plain(*base.type);
            bool pointer = is_rust_reference(type) || (type.is_rust && type.kind == TypeKind::pointer && language_ == Language::rust);
            if (!pointer) break;
            base = reader_.dereference(base);
        }
        return base;
    }

    Value index(Node& node) {
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
        if (plain(*position.type).kind == TypeKind::pointer || plain(*position.type).kind == TypeKind::array) std::swap(base, position);  // 3[levels]
        require_indexable(node, base);
        require_number(*node.children[1], position);
        return reader_.element(base, static_cast<std::int64_t>(reader_.integer(position)));
    }

    Value range(Node& node) {
        Value base = indexable(operand(*node.children[0]));
        require_available(*node.children[0], base);
        std::optional<std::uint64_t> known = plain(*base.type).kind == TypeKind::structure ? count_of(reader_, base) : plain(*base.type).count;
        auto end = [&](const std::unique_ptr<Node>& child, std::int64_t otherwise) {
            return child ? static_cast<std::int64_t>(reader_.integer(operand(*child))) : otherwise;
        };
        if (!node.children[2] && !known) fail(node, "where this ends is not known", "write the number behind the last element");
        std::int64_t first = end(node.children[1], 0), last = end(node.children[2], static_cast<std::int64_t>(known.value_or(0)));
        if (node.is_inclusive) ++last;
        if (last < first) fail(node, fmt::format("[{}..{}] ends before it begins", first, last));
        std::uint64_t count = static_cast<std::uint64_t>(last) - static_cast<std::uint64_t>(first);
        if (count > kLargestPart) fail(node, fmt::format("[{}..{}] asks for more than {} elements", first, last, kLargestPart));
        if (plain(*base.type).kind == TypeKind::structure && known) return as_slice(part_of_container(reader_, base, first, count));
        require_indexable(node, base);
        Value start = reader_.element(base, first);
        if (!start.address) fail(node, "a part can be taken only of what lives in memory");
        Value part = value_in_memory(array_of(*start.type, count), *start.address);
        part.first_index = first;
        return part;
    }

    // A part of a text of Rust is a text, where the program has a type for it.
    Value as_slice(Value part) const {
        bool is_text = language_ == Language::rust && part.address && is_character(target_of(*part.type));
        const Type* type = is_text ? find_type(reader_.target(), "&str") : nullptr;
        if (!type || plain(*type).size != 16) return part;
        std::uint64_t words[2] = {part.address->value, *part.type->count};
        return value_of_bytes(*type, std::as_bytes(std::span(words)));
    }

    // ---- calls and casts

    Value call(Node& node) {
        Node& callee = *node.children[0];
        std::vector<Value> arguments;
        for (std::size_t i = 1; i < node.children.size(); ++i) arguments.push_back(operand(*node.children[i]));
        if (auto answer = answered_by_view(callee, arguments)) return std::move(*answer);
        if (language_ == Language::rust && callee.kind == NodeKind::name)
            if (auto made = case_called(reader_, callee.text, in_order(arguments), callee.column)) return std::move(*made);
        Value function;
        if (callee.kind == NodeKind::member || callee.kind == NodeKind::arrow) function = method(callee, arguments);
        else if (callee.kind == NodeKind::name) function = named_function(callee, arguments.size());
        else function = operand(callee);
        if (plain(*function.type).kind == TypeKind::pointer && plain(target_of(plain(*function.type))).kind == TypeKind::function) function = reader_.dereference(function);
        const Type& type = plain(*function.type);
        if (type.kind != TypeKind::function || !function.address) fail(node, fmt::format("{} is no function", type_text(*function.type)));
        if (unevaluated_) return value_of_bytes(type.target ? *type.target : long_type(), {});
        if (!context_.call)
            fail(node, "functions of the program are not called unless you allow it", Next::allow_calls);
        std::string name = callee.text.empty() ? "the function" : callee.text;
        if (type.target && !type.is_variadic && arguments.size() != type.parameters.size())
            fail(node, fmt::format("{} takes {}, and {} given", name, counted(type.parameters.size(), "argument"), arguments.size() == 1 ? "1 is" : fmt::format("{} are", arguments.size())));
        for (std::size_t i = 0; i < std::min(arguments.size(), type.parameters.size()); ++i) arguments[i] = as_parameter(node, arguments[i], *type.parameters[i]);
        return context_.call({name, *function.address, &type, std::move(arguments)});
    }

    // barges.size(): what the view of a library's type can tell.
    std::optional<Value> answered_by_view(Node& callee, const std::vector<Value>& arguments) {
        if (callee.kind != NodeKind::member && callee.kind != NodeKind::arrow) return std::nullopt;
        Value object = operand(*callee.children[0]);
        if (callee.kind == NodeKind::arrow) object = dereferenced(callee, *callee.children[0], object);
        for (unsigned depth = 0; depth < 8 && object.is_available(); ++depth) {
            if (has_callable_member(object, callee.text)) return std::nullopt;
            if (auto answer = answer_to(reader_, object, callee.text, arguments, language_)) return answer;
            if (language_ != Language::rust) return std::nullopt;
            // Rust looks through references and owners.
            auto owned = plain(*object.type).kind == TypeKind::pointer && reader_.integer(object) ? reader_.dereference(object) : target_of_owner(reader_, object);
            if (!owned) return std::nullopt;
            object = *owned;
        }
        return std::nullopt;
    }

    bool has_callable_member(const Value& object, const std::string& name) {
        if (plain(*object.type).kind != TypeKind::structure) return false;
        auto member = reader_.member_named(object, name);
        return member && plain(*member->type).kind == TypeKind::pointer && plain(target_of(plain(*member->type))).kind == TypeKind::function;
    }

    static Fields in_order(const std::vector<Value>& values) {
        Fields fields;
        for (const Value& value : values) fields.emplace_back(fmt::format("__{}", fields.size()), value);
        return fields;
    }

    // Gate::Open { width: 3 }
    Value structure(Node& node) {
        Fields fields;
        for (const auto& field : node.children) fields.emplace_back(field->chosen, value_of_field(*field));
        if (auto made = case_called(reader_, node.text, fields, node.column)) return std::move(*made);
        fail(node, fmt::format("the program has no structure or variant {}", node.text), "write a variant with its enum: Gate::Open { width: 3 }");
    }

    Value value_of_field(Node& field) {
        if (field.kind != NodeKind::name) return operand(field);
        std::string name = std::exchange(field.chosen, {});  // it is the field's name, no choice among variables
        Value value = operand(field);
        field.chosen = name;
        return value;
    }

    Value matches(Node& node) {
        Value value = operand(*node.children[0]);
        require_available(node, value);
        bool fits = fits_pattern(reader_, value, *node.children[1], [this](Node& inner) { return value_of_field(inner); });
        return value_of_integer(truth_type(language_), fits);
    }

    Value as_parameter(const Node& node, const Value& argument, const Type& parameter) {
        require_available(node, argument);
        if (plain(parameter).kind == TypeKind::reference) return value_of_integer(parameter, reader_.integer(address_of(node, converted_along_classes(reader_, argument, parameter, node.column))));
        return converted_along_classes(reader_, argument, parameter, node.column);
    }

    Value named_function(Node& callee, std::size_t arguments) {
        Value value = value_of_name(callee, context_, reader_);
        if (plain(*value.type).kind != TypeKind::function) return referred(value);
        return function_value(*context_.target, callee.text, arguments).value_or(value);
    }

    Value method(Node& callee, std::vector<Value>& arguments) {
        Value object = operand(*callee.children[0]);
        if (callee.kind == NodeKind::arrow) object = dereferenced(callee, *callee.children[0], object);
        if (auto member = reader_.member_named(object, callee.text)) return referred(*member);  // a pointer to a function
        auto found = method_value(reader_, object, callee.text, arguments.size());
        if (!found) {
            auto known = questions_for(*object.type, language_);
            fail(callee, fmt::format("{} has no function {} with code of its own that takes {}", type_text(*object.type), callee.text, counted(arguments.size(), "argument")),
                 known.empty() ? "" : fmt::format("without running anything it answers {}", join_with(known, "and")));
        }
        arguments.insert(arguments.begin(), address_of(callee, object));
        return *found;
    }

    template <class Convert>
    Value cast(Node& node, Convert convert) {
        Value value = operand(*node.children[0]);
        if (plain(*node.type).kind == TypeKind::nothing) fail(node, "void has no value");
        require_available(node, value);
        return convert(reader_, value, *node.type, node.column);
    }

    // What only its type is asked of runs nothing: a call is a value of the type it returns (C17 §6.5.3.4).
    Value unevaluated(Node& node) {
        struct Depth {
            explicit Depth(unsigned& depth) : depth_(depth) { ++depth_; }
            ~Depth() { --depth_; }
            unsigned& depth_;
        } depth(unevaluated_);
        return operand(node);
    }

    Value conditional(Node& node) {
        bool yes = reader_.truth(number_operand(*node.children[0]));
        Value chosen = operand(*node.children[yes ? 1 : 2]);
        if (!chosen.is_available() || !(is_arithmetic(chosen) || plain(*chosen.type).kind == TypeKind::pointer)) return chosen;
        // Its type depends on both (C17 §6.5.15); the other side may have no value to ask for.
        try {
            Value other = unevaluated(*node.children[yes ? 2 : 1]);
            bring_to_common_class(reader_, chosen, other, node.column);
            if (is_arithmetic(chosen) && is_arithmetic(other)) return converted(reader_, chosen, common(promoted(chosen, language_), promoted(other, language_)), node.column);
        } catch (const Error&) {
        }
        return chosen;
    }

    // ---- arithmetic

    static bool is_arithmetic(const Value& value) {
        return is_scalar(*value.type) && plain(*value.type).kind != TypeKind::pointer && plain(*value.type).kind != TypeKind::reference;
    }
    static void require_available(const Node& node, const Value& value) {
        if (!value.is_available()) fail(node, fmt::format("there is no value: {}", value.unavailable));
    }
    void require_number(const Node& node, const Value& operand) {
        if (!is_scalar(*operand.type) && !is_pointer_like(operand))
            fail(node, fmt::format("this needs a number, and it is {}", type_text(*operand.type)));
        require_available(node, operand);
    }

    // What a number is computed with: Rust's references to numbers are looked through, wrappings of one value are opened.
    void open_wrappings(Value& value) {
        while (language_ == Language::rust && value.is_available() && is_rust_reference(plain(*value.type))) value = reader_.dereference(value);
        if (plain(*value.type).kind != TypeKind::structure || !value.is_available()) return;
        const LibraryView* view = library_view(*value.type);
        if (!view) return;
        Meaning meaning = view->meaning(reader_, value);
        if (meaning.alone && is_scalar(*meaning.alone->type)) value = *meaning.alone;
        else if (meaning.pointer) value = *meaning.pointer;
    }

    Value binary(Node& node) {
        if (node.op == Operator::both || node.op == Operator::either) {
            bool left = reader_.truth(number_operand(*node.children[0]));
            bool decided = node.op == Operator::both ? !left : left;
            return value_of_integer(truth_type(language_), decided ? left : reader_.truth(number_operand(*node.children[1])));
        }
        Value left = operand(*node.children[0]);
        if (auto quick = with_literal(node, left)) return std::move(*quick);
        Value right = operand(*node.children[1]);
        if (node.op == Operator::equal || node.op == Operator::not_equal) {
            if (auto alike = alike_by_meaning(node, left, right)) return value_of_integer(truth_type(language_), *alike == (node.op == Operator::equal));
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
        if (plain(type).kind == TypeKind::floating) return real_arithmetic(node.op, type, reader_.floating(left), reader_.floating(right), language_);
        auto as_operand = [&](const Value& v) { return number_as(type, reader_.wide(v)); };
        return whole_arithmetic(node.op, type, as_operand(left), is_shift(node.op) ? reader_.wide(right) : as_operand(right), language_);
    }

    // "draught > 12": most of a condition is a whole number beside a literal one, and conditions are computed very often.
    std::optional<Value> with_literal(const Node& node, const Value& left) {
        const Node& literal = *node.children[1];
        bool plain_literal = literal.kind == NodeKind::literal && !literal.is_untyped && plain(*literal.type).kind == TypeKind::integer;
        if (!plain_literal || !left.is_available() || left.is_bit_field() || plain(*left.type).kind != TypeKind::integer) return std::nullopt;
        const Type& own = promoted(left, language_);
        const Type& type = is_shift(node.op) ? own : common(own, *literal.type);
        return whole_arithmetic(node.op, type, number_as(type, reader_.wide(left)), is_shift(node.op) ? literal.number : number_as(type, literal.number), language_);
    }

    // A literal of Rust has the type of what it meets.
    static void take_type_of_other(const Node& node, Value& literal_value, const Value& other) {
        const Node& inner = node.kind == NodeKind::unary && !node.children.empty() ? *node.children[0] : node;
        if (!inner.is_untyped) return;
        bool whole_to_whole = plain(*literal_value.type).kind != TypeKind::floating || plain(*other.type).kind == TypeKind::floating;
        if (!whole_to_whole) return;
        Value adapted = literal(inner, *other.type);
        if (node.kind == NodeKind::literal) literal_value = adapted;
    }

    // A comparison sees a structure or a text by what it means: name == "Wren" is what anybody who types it wants.
    std::optional<bool> alike_by_meaning(const Node& node, const Value& left, const Value& right) {
        if (!left.is_available() || !right.is_available()) return std::nullopt;
        auto is_literal = [&](int i) { return node.children[static_cast<std::size_t>(i)]->kind == NodeKind::string; };
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

    Value number_operand(Node& node) {
        Value value = operand(node);
        open_wrappings(value);
        require_number(node, value);
        return value;
    }

    const EvaluationContext& context_;
    ValueReader reader_;
    Language language_;
    unsigned unevaluated_ = 0;
};

}  // namespace

Expression::Expression(std::string text, const EvaluationContext& context)
    : text_(std::move(text)), tree_(parse_expression(text_, FrameNames(context), context.language())) {}

Value Expression::value(const EvaluationContext& context) const {
    return Evaluator(context).value(*tree_);
}

bool Expression::truth(const EvaluationContext& context) const {
    return ValueReader(*context.target).truth(Evaluator(context).operand(*tree_));
}

Value value_of_node(Node& node, const EvaluationContext& context) {
    return Evaluator(context).value(node);
}

Value evaluate(std::string_view text, const EvaluationContext& context) {
    return Expression(std::string(text), context).value(context);
}

}  // namespace lantern
