#include "core/expressions/arithmetic.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/support/error.h"
#include "core/values/builtin_types.h"

namespace lantern {

const Type& truth_type(Language language) {
    return language == Language::c ? int_type() : bool_type();
}

// Integer promotions (C17 §6.3.1.1, C++20 §7.3.7).
const Type& promoted(const Value& value, Language language) {
    const Type& base = plain(*value.type);
    if (base.kind == TypeKind::floating || language == Language::rust) return *value.type;
    if (value.is_bit_field() && (value.bit_size < 32 || (base.is_signed && value.bit_size == 32)))
        return int_type();
    if (base.size < 4 || base.kind == TypeKind::boolean) return int_type();
    // C++ takes an int where it can hold every value the enumeration is declared with (C++20
    // §7.3.7).
    bool fits_int = std::ranges::all_of(base.enumerators, [](const Enumerator& e) {
        return e.value >= INT32_MIN && e.value <= INT32_MAX;
    });
    if (base.kind == TypeKind::enumeration && language == Language::cplusplus && base.size == 4 &&
        fits_int)
        return int_type();
    if (base.kind == TypeKind::enumeration)
        return base.size > 4    ? (base.is_signed ? long_type() : unsigned_long_type())
               : base.is_signed ? int_type()
                                : unsigned_type();
    if (base.kind == TypeKind::character) return base.is_signed ? int_type() : unsigned_type();
    return base;
}

// Usual arithmetic conversions (C17 §6.3.1.8), on this machine's sizes.
const Type& common(const Type& a, const Type& b) {
    const Type &left = plain(a), &right = plain(b);
    bool left_real = left.kind == TypeKind::floating, right_real = right.kind == TypeKind::floating;
    if (left_real || right_real) {
        if (left_real && right_real) return left.size >= right.size ? left : right;
        return left_real ? left : right;
    }
    if (left.size != right.size) return left.size > right.size ? left : right;
    // long and long long are of one size here, and still two types
    auto is_longer = [](const Type& type) {
        return type.name.find("long long") != std::string::npos;
    };
    if (left.is_signed != right.is_signed) {
        const Type& no_sign = left.is_signed ? right : left;
        bool longer = is_longer(left) || is_longer(right);
        return longer && !is_longer(no_sign) ? *base_type_from_words({"unsigned", "long", "long"})
                                             : no_sign;
    }
    return is_longer(left) ? left : right;
}

bool is_pointer_like(const Value& v) {
    TypeKind kind = plain(*v.type).kind;
    return kind == TypeKind::pointer || kind == TypeKind::array || kind == TypeKind::function;
}

namespace {

// In the precision of the type itself, so that the last bit is the one the program would get.
template <class Real>
Value computed(Operator op, const Type& type, Real a, Real b, Language language) {
    auto truth = [&](bool t) { return value_of_integer(truth_type(language), t); };
    auto made = [&](Real r) { return value_of_floating(type, static_cast<long double>(r)); };
    switch (op) {
        case Operator::add: return made(a + b);
        case Operator::subtract: return made(a - b);
        case Operator::multiply: return made(a * b);
        case Operator::divide: return made(a / b);
        case Operator::equal: return truth(a == b);
        case Operator::not_equal: return truth(a != b);
        case Operator::less: return truth(a < b);
        case Operator::greater: return truth(a > b);
        case Operator::less_equal: return truth(a <= b);
        case Operator::greater_equal: return truth(a >= b);
        default: throw RequestError(fmt::format("{} needs whole numbers", text_of(op)));
    }
}

Wide divided(Operator op, const Type& type, Wide a, Wide b) {
    if (b == 0) throw RequestError("this divides by zero");
    bool remainder = op == Operator::remainder;
    if (!type.is_signed) return remainder ? a % b : a / b;
    SignedWide x = static_cast<SignedWide>(a), y = static_cast<SignedWide>(b);
    if (y == -1) return remainder ? 0 : 0 - a;
    return static_cast<Wide>(remainder ? x % y : x / y);
}

}  // namespace

Value real_arithmetic(Operator op, const Type& type, long double a, long double b,
                      Language language) {
    switch (plain(type).size) {
        case 4: return computed(op, type, static_cast<float>(a), static_cast<float>(b), language);
        case 8: return computed(op, type, static_cast<double>(a), static_cast<double>(b), language);
        default: return computed(op, type, a, b, language);
    }
}

Value whole_arithmetic(Operator op, const Type& given, Wide a, Wide b, Language language) {
    const Type& type = plain(given);
    auto made = [&](Wide number) { return value_of_integer(given, number); };
    auto truth = [&](bool t) { return value_of_integer(truth_type(language), t); };
    auto less = [&](Wide x, Wide y) {
        return type.is_signed ? static_cast<SignedWide>(x) < static_cast<SignedWide>(y) : x < y;
    };
    switch (op) {
        case Operator::add: return made(a + b);
        case Operator::subtract: return made(a - b);
        case Operator::multiply: return made(a * b);
        case Operator::divide:
        case Operator::remainder: return made(divided(op, type, a, b));
        case Operator::bit_and: return made(a & b);
        case Operator::bit_or: return made(a | b);
        case Operator::bit_xor: return made(a ^ b);
        case Operator::shift_left:
        case Operator::shift_right:
            if (b >= type.size * 8)
                throw RequestError(fmt::format("a shift by {} has no meaning for {} bits",
                                               static_cast<std::int64_t>(b), type.size * 8));
            if (op == Operator::shift_left) return made(a << b);
            return made(type.is_signed ? static_cast<Wide>(static_cast<SignedWide>(a) >> b)
                                       : a >> b);
        case Operator::equal: return truth(a == b);
        case Operator::not_equal: return truth(a != b);
        case Operator::less: return truth(less(a, b));
        case Operator::greater: return truth(less(b, a));
        case Operator::less_equal: return truth(!less(b, a));
        case Operator::greater_equal: return truth(!less(a, b));
        default: throw RequestError(fmt::format("{} is not an operator for numbers", text_of(op)));
    }
}

Value pointer_arithmetic(Operator op, const ValueReader& reader, const Value& left,
                         const Value& right, Language language) {
    bool left_points = is_pointer_like(left), right_points = is_pointer_like(right);
    std::uint64_t a = reader.integer(left), b = reader.integer(right);
    if (is_comparison(op)) return whole_arithmetic(op, unsigned_long_type(), a, b, language);
    const Type& pointer = plain(*(left_points ? left : right).type);
    std::uint64_t step = std::max<std::uint64_t>(1, plain(target_of(pointer)).size);
    const Type& type = pointer_to(target_of(pointer));
    if (op == Operator::add && left_points != right_points)
        return value_of_integer(type, left_points ? a + b * step : b + a * step);
    if (op == Operator::subtract && left_points && !right_points)
        return value_of_integer(type, a - b * step);
    if (op == Operator::subtract && left_points && right_points)
        return value_of_integer(long_type(),
                                static_cast<std::uint64_t>(static_cast<std::int64_t>(a - b) /
                                                           static_cast<std::int64_t>(step)));
    throw RequestError(fmt::format("{} has no meaning for pointers", text_of(op)));
}

}  // namespace lantern
