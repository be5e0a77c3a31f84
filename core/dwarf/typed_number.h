// The numbers on the stack of a location expression: each has a type, the plain one of an address's
// size or one that the debug information describes (DWARF 5 §2.5.1, §2.5.1.6).
#pragma once

#include <cstdint>

namespace lantern::dwarf {

struct NumberType {
    enum class Kind : std::uint8_t { generic, unsigned_whole, signed_whole, floating };
    Kind kind = Kind::generic;
    std::uint8_t size = 8;  // bytes: 1 to 8; of a floating one 4 or 8

    bool operator==(const NumberType&) const = default;
    bool is_floating() const { return kind == Kind::floating; }
};

struct TypedNumber {
    std::uint64_t bits = 0;  // cut to the type's size; of a signed one its sign goes on above
    NumberType type;
};

// Cut to the type's size.
TypedNumber number_of_type(std::uint64_t bits, NumberType type);
// The same number in another type; from one that is floating to whole ones towards zero.
TypedNumber converted(TypedNumber number, NumberType type);

// What a DW_OP_… of two operands, or of one, makes of them. The second takes the type of the first;
// a plain number beside one with a type takes that. Throws FormatError for a division by zero, and
// for what is not computed with floating numbers.
TypedNumber computed(std::uint8_t operation, TypedNumber first, TypedNumber second);
TypedNumber computed(std::uint8_t operation, TypedNumber number);
// 1 or 0, plain. Plain numbers are compared as signed ones.
TypedNumber compared(std::uint8_t operation, TypedNumber first, TypedNumber second);

}  // namespace lantern::dwarf
