// Where a function leaves the value it returns (System V ABI x86-64 §3.2.3).
#pragma once

#include <cstdint>
#include <span>
#include <vector>

namespace lantern {

// One scalar inside the returned type, flattened.
struct ScalarPart {
    enum class Kind { integer, floating, extended, other };  // extended: the 80-bit long double
    std::uint64_t offset = 0;
    std::uint64_t size = 0;
    Kind kind = Kind::integer;
};

struct ReturnPiece {
    unsigned dwarf_register = 0;
    std::uint64_t offset = 0, size = 0;  // which bytes of the value it holds
};

struct ReturnLocation {
    // For `memory`, the address of the value is in the register of the first piece.
    enum class Kind { nowhere, registers, memory, unknown } kind = Kind::nowhere;
    std::vector<ReturnPiece> pieces;
};

// `size` is that of the whole type; 0 for void.
ReturnLocation return_location(std::span<const ScalarPart> parts, std::uint64_t size);

}  // namespace lantern
