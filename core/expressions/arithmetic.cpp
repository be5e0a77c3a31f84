#include "core/expressions/arithmetic.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/support/error.h"
#include "core/values/builtin_types.h"

namespace lantern {

// Integer promotions (C17 §6.3.1.1).
const Type& promoted(const Type& type) {
    const Type& base = plain(type);
    if (base.kind == TypeKind::floating) return type;
    if (base.size < 4 || base.kind == TypeKind::boolean || base.kind == TypeKind::character) return int_type();
    if (base.kind == TypeKind::enumeration) return base.is_signed || base.size < 4 ? int_type() : unsigned_type();
    return type;
}

// Usual arithmetic conversions (C17 §6.3.1.8), on this machine's sizes.
const Type& common(const Type& a, const Type& b) {
    const Type &left = plain(promoted(a)), &right = plain(promoted(b));
    bool left_real = left.kind == TypeKind::floating, right_real = right.kind == TypeKind::floating;
    if (left_real || right_real) {
        if (left_real && right_real) return left.size >= right.size ? left : right;
        return left_real ? left : right;
    }
    if (left.size != right.size) return left.size > right.size ? left : right;
    return left.is_signed ? right : left;
}

bool is_pointer_like(const Value& v) {
    TypeKind kind = plain(*v.type).kind;
    return kind == TypeKind::pointer || kind == TypeKind::array || kind == TypeKind::function;
}

Value real_arithmetic(const std::string& op, const Type& type, long double a, long double b) {
    auto truth = [](bool t) { return value_of_integer(int_type(), t); };
    if (op == "+") return value_of_floating(type, a + b);
    if (op == "-") return value_of_floating(type, a - b);
    if (op == "*") return value_of_floating(type, a * b);
    if (op == "/") return value_of_floating(type, a / b);
    if (op == "==") return truth(a == b);
    if (op == "!=") return truth(a != b);
    if (op == "<") return truth(a < b);
    if (op == ">") return truth(a > b);
    if (op == "<=") return truth(a <= b);
    if (op == ">=") return truth(a >= b);
    throw RequestError(fmt::format("{} needs whole numbers", op));
}

Value whole_arithmetic(const std::string& op, const Type& type, std::uint64_t a, std::uint64_t b) {
    using Signed = std::int64_t;
    bool is_signed = plain(type).is_signed;
    auto made = [&](std::uint64_t number) { return value_of_integer(type, number); };
    auto truth = [](bool t) { return value_of_integer(int_type(), t); };
    auto less = [&](std::uint64_t x, std::uint64_t y) { return is_signed ? static_cast<Signed>(x) < static_cast<Signed>(y) : x < y; };
    if (op == "+") return made(a + b);
    if (op == "-") return made(a - b);
    if (op == "*") return made(a * b);
    if (op == "/" || op == "%") {
        if (b == 0) throw RequestError("this divides by zero");
        bool remainder = op == "%";
        if (!is_signed) return made(remainder ? a % b : a / b);
        if (static_cast<Signed>(b) == -1) return made(remainder ? 0 : 0 - a);
        return made(static_cast<std::uint64_t>(remainder ? static_cast<Signed>(a) % static_cast<Signed>(b)
                                                         : static_cast<Signed>(a) / static_cast<Signed>(b)));
    }
    if (op == "&") return made(a & b);
    if (op == "|") return made(a | b);
    if (op == "^") return made(a ^ b);
    if (op == "<<" || op == ">>") {
        if (b >= plain(type).size * 8) throw RequestError(fmt::format("a shift by {} has no meaning for {} bits", static_cast<Signed>(b), plain(type).size * 8));
        if (op == "<<") return made(a << b);
        return made(is_signed ? static_cast<std::uint64_t>(static_cast<Signed>(a) >> b) : a >> b);
    }
    if (op == "==") return truth(a == b);
    if (op == "!=") return truth(a != b);
    if (op == "<") return truth(less(a, b));
    if (op == ">") return truth(less(b, a));
    if (op == "<=") return truth(!less(b, a));
    if (op == ">=") return truth(!less(a, b));
    throw RequestError(fmt::format("{} is not an operator", op));
}

Value pointer_arithmetic(const std::string& op, const ValueReader& reader, const Value& left, const Value& right) {
    bool left_points = is_pointer_like(left), right_points = is_pointer_like(right);
    std::uint64_t a = reader.integer(left), b = reader.integer(right);
    bool comparison = op == "==" || op == "!=" || op == "<" || op == ">" || op == "<=" || op == ">=";
    if (comparison) return whole_arithmetic(op, unsigned_long_type(), a, b);
    const Type& pointer = plain(*(left_points ? left : right).type);
    std::uint64_t step = std::max<std::uint64_t>(1, plain(target_of(pointer)).size);
    const Type& type = pointer_to(target_of(pointer));
    if (op == "+" && left_points != right_points) return value_of_integer(type, left_points ? a + b * step : b + a * step);
    if (op == "-" && left_points && !right_points) return value_of_integer(type, a - b * step);
    if (op == "-" && left_points && right_points)
        return value_of_integer(long_type(), static_cast<std::uint64_t>(static_cast<std::int64_t>(a - b) / static_cast<std::int64_t>(step)));
    throw RequestError(fmt::format("{} has no meaning for pointers", op));
}

}  // namespace lantern
