#include "core/expressions/conversion.h"

#include <fmt/format.h>

#include "core/support/error.h"
#include "core/values/builtin_types.h"
#include "core/values/dynamic_type.h"

namespace lantern {
namespace {

bool is_number_like(const Type& type) {
    TypeKind kind = plain(type).kind;
    return is_scalar(type) || kind == TypeKind::array || kind == TypeKind::function;
}

bool same_class(const Type& a, const Type& b) {
    return &plain(a) == &plain(b) ||
           (!plain(a).name.empty() && plain(a).full_name() == plain(b).full_name());
}

// The parts of `object` that are a `wanted`: the object itself, or bases of it. One that is shared
// (virtual) counts once.
struct Parts {
    std::vector<Value> found;
};

void collect_parts(const ValueReader& reader, const Value& object, const Type& wanted, Parts& parts,
                   int depth) {
    if (same_class(*object.type, wanted)) {
        for (const Value& known : parts.found)
            if (known.address && known.address == object.address && object.address) return;
        parts.found.push_back(object);
        return;
    }
    if (depth > 20) return;
    for (const Member& member : plain(*object.type).members())
        if (member.is_base_class)
            collect_parts(reader, reader.member(object, member), wanted, parts, depth + 1);
}

// Of classes alone, with no object: is one a base of the other?
bool is_base(const Type& base, const Type& derived, int depth = 0) {
    if (same_class(base, derived)) return true;
    if (depth > 20) return false;
    for (const Member& member : plain(derived).members())
        if (member.is_base_class && is_base(base, *member.type, depth + 1)) return true;
    return false;
}

bool is_virtual_base(const Type& base, const Type& derived, int depth = 0) {
    if (depth > 20) return false;
    for (const Member& member : plain(derived).members())
        if (member.is_base_class && is_base(base, *member.type) &&
            (member.is_virtual_base || is_virtual_base(base, *member.type, depth + 1)))
            return true;
    return false;
}

Value only_part(const ValueReader& reader, const Value& object, const Type& wanted,
                unsigned column) {
    Parts parts;
    collect_parts(reader, object, wanted, parts, 0);
    if (parts.found.size() > 1)
        throw ExpressionError(
            fmt::format("this is ambiguous: {} has {} parts of type {}", type_text(*object.type),
                        parts.found.size(), type_text(wanted)),
            column, "cast to the base on the way to it first");
    if (parts.found.empty() || (!parts.found[0].address && object.address))
        throw ExpressionError(fmt::format("where {} lies in {} cannot be read", type_text(wanted),
                                          type_text(*object.type)),
                              column);
    return parts.found[0];
}

// From a base to the class derived from it: what lies where does not depend on the object, but for
// virtual bases.
RunAddress derived_around(const ValueReader& reader, RunAddress base, const Type& base_type,
                          const Type& derived, unsigned column) {
    if (!is_virtual_base(base_type, derived)) {
        Value part = only_part(reader, value_in_memory(derived, base), base_type, column);
        return base - (*part.address - base);
    }
    auto whole = dynamic_type(reader, value_in_memory(base_type, base));
    if (!whole || !whole->problem.empty() || !whole->object.address)
        throw ExpressionError(
            fmt::format("{} is a virtual base of {}, and what the object really is cannot be told",
                        type_text(base_type), type_text(derived)),
            column);
    return *only_part(reader, whole->object, derived, column).address;
}

// An object of a class, at an address, seen as a base or a derived class; nothing if neither is.
std::optional<RunAddress> related(const ValueReader& reader, RunAddress address, const Type& from,
                                  const Type& to, unsigned column) {
    if (same_class(from, to)) return address;
    if (is_base(to, from))
        return *only_part(reader, value_in_memory(from, address), to, column).address;
    if (is_base(from, to)) return derived_around(reader, address, from, to, column);
    return std::nullopt;
}

const Type* class_pointed_at(const Type& type) {
    const Type& base = plain(type);
    if (base.kind != TypeKind::pointer && base.kind != TypeKind::reference) return nullptr;
    const Type& target = plain(target_of(base));
    return target.kind == TypeKind::structure ? &target : nullptr;
}

}  // namespace

Value converted(const ValueReader& reader, const Value& from, const Type& to, unsigned column) {
    const Type& target = plain(to);
    switch (target.kind) {
        case TypeKind::boolean: return value_of_integer(to, reader.truth(from));
        case TypeKind::floating: return value_of_floating(to, reader.floating(from));
        case TypeKind::integer:
        case TypeKind::character:
        case TypeKind::enumeration:
        case TypeKind::pointer:
        case TypeKind::reference:
            if (is_number_like(*from.type)) return value_of_integer(to, reader.wide(from));
            break;
        default: break;
    }
    if (plain(*from.type).size == target.size && target.size != 0 && is_aggregate(to)) {
        Value result = from;
        result.type = &to;
        return result;
    }
    throw ExpressionError(
        fmt::format("a value of type {} cannot become {}", type_text(*from.type), type_text(to)),
        column);
}

namespace {

// Casts to a reference are casts of the object: nothing for other casts.
std::optional<Value> as_reference(const ValueReader& reader, const Value& from, const Type& to,
                                  unsigned column) {
    if (plain(to).kind != TypeKind::reference) return std::nullopt;
    if (!from.address) return converted(reader, from, target_of(plain(to)), column);
    const Type &source = plain(*from.type), &goal = plain(target_of(plain(to)));
    if (source.kind == TypeKind::structure && goal.kind == TypeKind::structure)
        if (auto address = related(reader, *from.address, source, goal, column))
            return value_in_memory(target_of(plain(to)), *address);
    return value_in_memory(target_of(plain(to)), *from.address);
}

std::optional<Value> as_base_object(const ValueReader& reader, const Value& from, const Type& to,
                                    unsigned column) {
    if (plain(*from.type).kind != TypeKind::structure || plain(to).kind != TypeKind::structure)
        return std::nullopt;
    if (same_class(*from.type, to) || !is_base(to, *from.type)) return std::nullopt;
    return only_part(reader, from, to, column);
}

std::optional<Value> as_related_pointer(const ValueReader& reader, const Value& from,
                                        const Type& to, unsigned column) {
    const Type *source = class_pointed_at(*from.type), *goal = class_pointed_at(to);
    if (!source || !goal) return std::nullopt;
    std::uint64_t address = reader.integer(from);
    if (!address) return value_of_integer(to, 0);
    auto moved = related(reader, RunAddress(address), *source, *goal, column);
    return moved ? std::optional(value_of_integer(to, moved->value)) : std::nullopt;
}

}  // namespace

Value converted_along_classes(const ValueReader& reader, const Value& from, const Type& to,
                              unsigned column) {
    if (auto reference = as_reference(reader, from, to, column)) return *reference;
    if (auto object = as_base_object(reader, from, to, column)) return *object;
    if (auto pointer = as_related_pointer(reader, from, to, column)) return *pointer;
    return converted(reader, from, to, column);
}

Value statically_cast(const ValueReader& reader, const Value& from, const Type& to,
                      unsigned column) {
    const Type *source = class_pointed_at(*from.type), *goal = class_pointed_at(to);
    if (plain(to).kind == TypeKind::reference && plain(*from.type).kind == TypeKind::structure)
        source = &plain(*from.type);
    if (source && goal && !is_base(*source, *goal) && !is_base(*goal, *source))
        throw ExpressionError(fmt::format("{} is neither a base of {} nor derived from it",
                                          type_text(*goal), type_text(*source)),
                              column, "reinterpret_cast takes the address as it is");
    return converted_along_classes(reader, from, to, column);
}

Value reinterpreted(const ValueReader& reader, const Value& from, const Type& to, unsigned column) {
    if (plain(to).kind != TypeKind::reference) return converted(reader, from, to, column);
    if (!from.address) return converted(reader, from, target_of(plain(to)), column);
    return value_in_memory(target_of(plain(to)), *from.address);
}

void bring_to_common_class(const ValueReader& reader, Value& left, Value& right, unsigned column) {
    const Type *a = class_pointed_at(*left.type), *b = class_pointed_at(*right.type);
    if (!a || !b || same_class(*a, *b)) return;
    if (is_base(*a, *b))
        right = converted_along_classes(reader, right, *left.type, column);
    else if (is_base(*b, *a))
        left = converted_along_classes(reader, left, *right.type, column);
}

Value dynamically_cast(const ValueReader& reader, const Value& from, const Type& to,
                       unsigned column) {
    const Type *source = class_pointed_at(*from.type), *goal = class_pointed_at(to);
    if (!source || (!goal && plain(target_of(plain(to))).kind != TypeKind::nothing))
        throw ExpressionError("dynamic_cast needs pointers to classes", column);
    if (reader.integer(from) == 0) return value_of_integer(to, 0);
    auto whole = dynamic_type(reader, reader.dereference(from));
    if (!whole)
        throw ExpressionError(
            fmt::format("{} has no virtual functions, so what it really is cannot be told",
                        type_text(*source)),
            column, "use static_cast");
    if (!whole->problem.empty()) throw ExpressionError(whole->problem, column);
    if (!goal) return value_of_integer(to, whole->object.address->value);
    Parts parts;
    collect_parts(reader, whole->object, *goal, parts, 0);
    bool is_one = parts.found.size() == 1 && parts.found[0].address;
    return value_of_integer(to, is_one ? parts.found[0].address->value : 0);
}

}  // namespace lantern
