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
    return &plain(a) == &plain(b) || (!plain(a).name.empty() && plain(a).full_name() == plain(b).full_name());
}

// The part of `object` that is a `wanted`: the object itself or one of its bases.
std::optional<Value> base_of(const ValueReader& reader, const Value& object, const Type& wanted, int depth) {
    if (same_class(*object.type, wanted)) return object;
    if (depth > 20) return std::nullopt;
    for (const Member& member : plain(*object.type).members()) {
        if (!member.is_base_class) continue;
        if (auto found = base_of(reader, reader.member(object, member), wanted, depth + 1)) return found;
    }
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
        case TypeKind::integer: case TypeKind::character: case TypeKind::enumeration: case TypeKind::pointer: case TypeKind::reference:
            if (is_number_like(*from.type)) return value_of_integer(to, reader.wide(from));
            break;
        default: break;
    }
    if (plain(*from.type).size == target.size && target.size != 0 && is_aggregate(to)) {
        Value result = from;
        result.type = &to;
        return result;
    }
    throw ExpressionError(fmt::format("a value of type {} cannot become {}", type_text(*from.type), type_text(to)), column);
}

Value converted_along_classes(const ValueReader& reader, const Value& from, const Type& to, unsigned column) {
    const Type *source = class_pointed_at(*from.type), *goal = class_pointed_at(to);
    std::uint64_t address = source && goal ? reader.integer(from) : 0;
    if (!address || same_class(*source, *goal)) return converted(reader, from, to, column);
    if (auto up = base_of(reader, value_in_memory(*source, RunAddress(address)), *goal, 0); up && up->address) return value_of_integer(to, up->address->value);
    // Down: the base's distance from the start of the derived class, which is the same in every object but for virtual bases.
    if (auto base = base_of(reader, value_in_memory(*goal, RunAddress(address)), *source, 0); base && base->address)
        return value_of_integer(to, address - (base->address->value - address));
    return converted(reader, from, to, column);
}

Value dynamically_cast(const ValueReader& reader, const Value& from, const Type& to, unsigned column) {
    const Type *source = class_pointed_at(*from.type), *goal = class_pointed_at(to);
    if (!source || (!goal && plain(target_of(plain(to))).kind != TypeKind::nothing))
        throw ExpressionError("dynamic_cast needs pointers to classes", column);
    if (reader.integer(from) == 0) return value_of_integer(to, 0);
    auto whole = dynamic_type(reader, reader.dereference(from));
    if (!whole) throw ExpressionError(fmt::format("{} has no virtual functions, so what it really is cannot be told", type_text(*source)), column, "use static_cast");
    if (!whole->problem.empty()) throw ExpressionError(whole->problem, column);
    if (!goal) return value_of_integer(to, whole->object.address->value);
    auto part = base_of(reader, whole->object, *goal, 0);
    return value_of_integer(to, part && part->address ? part->address->value : 0);
}

}  // namespace lantern
