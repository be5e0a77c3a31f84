// Where a function leaves the value it returns (System V ABI x86-64 §3.2.3).
#pragma once

#include <cstdint>
#include <span>
#include <vector>

namespace lantern {

// One scalar inside the returned type, flattened.
struct ScalarPart {
    // floating: also 128 bits of one, and what the processor computes on at once; extended: the
    // 80-bit long double
    enum class Kind { integer, floating, extended, other };
    std::uint64_t offset = 0;
    std::uint64_t size = 0;
    Kind kind = Kind::integer;
    bool is_bit_field =
        false;  // need not be aligned; its bytes are those that any of its bits are in
};

struct ReturnPiece {
    unsigned dwarf_register = 0;
    std::uint64_t offset = 0, size = 0;  // which bytes of the value it holds
    bool operator==(const ReturnPiece&) const = default;
};

struct ReturnLocation {
    // For `memory`, the address of the value is in the register of the first piece.
    enum class Kind { nowhere, registers, memory, unknown } kind = Kind::nowhere;
    std::vector<ReturnPiece> pieces;
    bool operator==(const ReturnLocation&) const = default;
};

// Where arguments go, by DWARF register: whole numbers in these, floating ones in as many vector
// registers from the first (§3.2.3). A function that takes "..." is told in one register how many
// of those are in use.
inline constexpr unsigned kIntegerParameters[] = {5, 4, 1, 2, 8, 9};  // rdi, rsi, rdx, rcx, r8, r9
// True for the registers a function gives back as it found them, the stack pointer among them
// (§3.2.1).
constexpr bool is_kept_by_calls(unsigned dwarf_number) {
    return dwarf_number == 3 || dwarf_number == 6 || dwarf_number == 7 ||
           (dwarf_number >= 12 && dwarf_number <= 15);
}
constexpr unsigned kVectorParameters = 8;
constexpr unsigned kVectorCountRegister = 0;   // al
constexpr std::uint64_t kStackAlignment = 16;  // bytes, before a call pushes its return address
constexpr std::uint64_t kRedZone =
    128;  // bytes below the stack pointer that still belong to the innermost function (§3.2.2)

// Of a value that is returned through an address the caller gives.
ReturnLocation returned_in_memory();
// Two long doubles by themselves, a complex number.
ReturnLocation returned_as_extended_pair();
// `size` is that of the whole type; 0 for void.
ReturnLocation return_location(std::span<const ScalarPart> parts, std::uint64_t size);

}  // namespace lantern
