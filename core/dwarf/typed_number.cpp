#include "core/dwarf/typed_number.h"

#include <bit>
#include <cmath>

#include "core/dwarf/operations.h"
#include "core/support/error.h"

namespace lantern::dwarf {
namespace {

using NumberKind = NumberType::Kind;

unsigned bits_of(NumberType type) {
    return type.size * 8u;
}

std::uint64_t cut(std::uint64_t bits, NumberType type) {
    return bits_of(type) < 64 ? bits & ((std::uint64_t{1} << bits_of(type)) - 1) : bits;
}

std::int64_t with_sign(std::uint64_t bits, NumberType type) {
    unsigned unused = 64 - bits_of(type);
    return static_cast<std::int64_t>(bits << unused) >> unused;
}

double floating(TypedNumber number) {
    return number.type.size == 4 ? std::bit_cast<float>(static_cast<std::uint32_t>(number.bits))
                                 : std::bit_cast<double>(number.bits);
}

TypedNumber of_floating(double number, NumberType type) {
    if (type.size == 4) return {std::bit_cast<std::uint32_t>(static_cast<float>(number)), type};
    return {std::bit_cast<std::uint64_t>(number), type};
}

std::uint64_t divided(TypedNumber a, TypedNumber b) {
    if (b.bits == 0) throw FormatError("location expression: a division by zero");
    if (a.type.kind == NumberKind::unsigned_whole) return a.bits / b.bits;
    std::int64_t first = with_sign(a.bits, a.type), second = with_sign(b.bits, a.type);
    if (second == -1) return 0 - static_cast<std::uint64_t>(first);
    return static_cast<std::uint64_t>(first / second);
}

// Plain numbers count as without sign (DWARF 5 §2.5.1.4).
std::uint64_t remainder(TypedNumber a, TypedNumber b) {
    if (b.bits == 0) throw FormatError("location expression: a remainder by zero");
    if (a.type.kind != NumberKind::signed_whole) return a.bits % b.bits;
    std::int64_t first = with_sign(a.bits, a.type), second = with_sign(b.bits, a.type);
    return second == -1 ? 0 : static_cast<std::uint64_t>(first % second);
}

std::uint64_t whole(std::uint8_t operation, TypedNumber a, TypedNumber b) {
    unsigned bits = bits_of(a.type);
    std::uint64_t places = cut(b.bits, b.type);
    switch (operation) {
        case DW_OP_and: return a.bits & b.bits;
        case DW_OP_or: return a.bits | b.bits;
        case DW_OP_xor: return a.bits ^ b.bits;
        case DW_OP_plus: return a.bits + b.bits;
        case DW_OP_minus: return a.bits - b.bits;
        case DW_OP_mul: return a.bits * b.bits;
        case DW_OP_div: return divided(a, b);
        case DW_OP_mod: return remainder(a, b);
        case DW_OP_shl: return places < bits ? a.bits << places : 0;
        case DW_OP_shr: return places < bits ? cut(a.bits, a.type) >> places : 0;
        case DW_OP_shra:
            return static_cast<std::uint64_t>(with_sign(a.bits, a.type) >>
                                              (places < bits ? places : bits - 1));
        default: throw FormatError("location expression: that is not computed with two numbers");
    }
}

TypedNumber floating_result(std::uint8_t operation, TypedNumber a, TypedNumber b) {
    double first = floating(a), second = floating(b);
    switch (operation) {
        case DW_OP_plus: return of_floating(first + second, a.type);
        case DW_OP_minus: return of_floating(first - second, a.type);
        case DW_OP_mul: return of_floating(first * second, a.type);
        case DW_OP_div: return of_floating(first / second, a.type);
        default: throw FormatError("location expression: that is not computed with such numbers");
    }
}

// Both in one type.
void match(TypedNumber& first, TypedNumber& second) {
    if (first.type.kind == NumberKind::generic && second.type.kind != NumberKind::generic)
        first = number_of_type(first.bits, second.type);
    else if (first.type != second.type)
        second = number_of_type(second.bits, first.type);
}

bool holds(std::uint8_t operation, int order) {
    switch (operation) {
        case DW_OP_eq: return order == 0;
        case DW_OP_ne: return order != 0;
        case DW_OP_lt: return order < 0;
        case DW_OP_le: return order <= 0;
        case DW_OP_gt: return order > 0;
        default: return order >= 0;
    }
}

template <class Number>
int order_of(Number a, Number b) {
    return a < b ? -1 : a > b ? 1 : 0;
}

}  // namespace

TypedNumber number_of_type(std::uint64_t bits, NumberType type) {
    if (type.kind == NumberKind::signed_whole)
        return {static_cast<std::uint64_t>(with_sign(bits, type)), type};
    return {cut(bits, type), type};
}

TypedNumber converted(TypedNumber number, NumberType type) {
    if (!number.type.is_floating() && !type.is_floating()) return number_of_type(number.bits, type);
    if (!number.type.is_floating()) {
        bool has_sign = number.type.kind == NumberKind::signed_whole;
        return of_floating(has_sign ? static_cast<double>(with_sign(number.bits, number.type))
                                    : static_cast<double>(number.bits),
                           type);
    }
    double value = floating(number);
    if (type.is_floating()) return of_floating(value, type);
    constexpr double kLowest = -9223372036854775808.0, kAboveAll = 18446744073709551616.0;
    if (!(value >= kLowest && value < kAboveAll))
        throw FormatError("location expression: a number that no whole one can hold");
    std::uint64_t bits = value < 0 ? static_cast<std::uint64_t>(static_cast<std::int64_t>(value))
                                   : static_cast<std::uint64_t>(value);
    return number_of_type(bits, type);
}

TypedNumber computed(std::uint8_t operation, TypedNumber first, TypedNumber second) {
    bool is_shift = operation == DW_OP_shl || operation == DW_OP_shr || operation == DW_OP_shra;
    if (!is_shift) match(first, second);
    if (first.type.is_floating()) return floating_result(operation, first, second);
    return number_of_type(whole(operation, first, second), first.type);
}

TypedNumber computed(std::uint8_t operation, TypedNumber number) {
    if (number.type.is_floating()) {
        if (operation == DW_OP_not)
            throw FormatError("location expression: that is not computed with such numbers");
        double value = floating(number);
        return of_floating(operation == DW_OP_neg ? -value : std::fabs(value), number.type);
    }
    bool is_below_zero = with_sign(number.bits, number.type) < 0;
    std::uint64_t bits = operation == DW_OP_not                    ? ~number.bits
                         : operation == DW_OP_neg || is_below_zero ? 0 - number.bits
                                                                   : number.bits;
    return number_of_type(bits, number.type);
}

TypedNumber compared(std::uint8_t operation, TypedNumber first, TypedNumber second) {
    match(first, second);
    if (first.type.is_floating()) {
        double a = floating(first), b = floating(second);
        bool is_ordered = a == a && b == b;
        return {is_ordered ? holds(operation, order_of(a, b)) : operation == DW_OP_ne, {}};
    }
    int order =
        first.type.kind == NumberKind::unsigned_whole
            ? order_of(first.bits, second.bits)
            : order_of(with_sign(first.bits, first.type), with_sign(second.bits, first.type));
    return {holds(operation, order), {}};
}

}  // namespace lantern::dwarf
