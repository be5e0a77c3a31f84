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

// Where arguments go, by DWARF register: whole numbers in these, floating ones in as many vector registers from the first
// (§3.2.3). A function that takes "..." is told in one register how many of those are in use.
inline constexpr unsigned kIntegerParameters[] = {5, 4, 1, 2, 8, 9};  // rdi, rsi, rdx, rcx, r8, r9
constexpr unsigned kVectorParameters = 8;
constexpr unsigned kVectorCountRegister = 0;   // al
constexpr std::uint64_t kStackAlignment = 16;  // bytes, before a call pushes its return address
constexpr std::uint64_t kRedZone = 128;        // bytes below the stack pointer that still belong to the innermost function (§3.2.2)

// Of a value that is returned through an address the caller gives.
ReturnLocation returned_in_memory();
// `size` is that of the whole type; 0 for void.
ReturnLocation return_location(std::span<const ScalarPart> parts, std::uint64_t size);

}  // namespace lantern
