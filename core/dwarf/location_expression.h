// Evaluates DWARF expressions: where a variable is, or what it is when it lives nowhere (DWARF 5
// §2.5, §2.6.1).
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/dwarf/unit.h"

namespace lantern::dwarf {

// What an expression may ask of the outside. Registers are DWARF numbers; addresses are run
// addresses as plain numbers.
class ExpressionContext {
  public:
    virtual ~ExpressionContext() = default;
    virtual std::optional<std::uint64_t> register_value(
        unsigned number) = 0;  // nothing: not known in this frame
    virtual std::uint64_t read_memory(std::uint64_t address,
                                      unsigned size) = 0;  // throws MemoryError
    virtual std::optional<std::uint64_t> frame_base() = 0;
    virtual std::optional<std::uint64_t> call_frame_address() = 0;
    virtual std::uint64_t run_address(FileAddress address) = 0;
    virtual std::optional<std::uint64_t> thread_local_address(std::uint64_t offset) = 0;
    virtual std::optional<std::uint64_t> object_address() { return std::nullopt; }
    virtual std::optional<std::uint64_t> entry_value(ByteSpan) { return std::nullopt; }

    // Of an evaluation with all that it evaluates in turn (a frame base, a value on entry): how
    // many operations are left, and how deep it is. A context that answers for another one takes
    // both over, and gives the first back.
    unsigned operations_left = 0, depth = 0;
};

struct LocationPiece {
    // implicit_pointer: a pointer that is kept nowhere, to a thing whose value is known (DWARF 5
    // §2.6.1.1.4)
    enum class Kind { memory, in_register, value, bytes, implicit_pointer, missing };
    Kind kind = Kind::missing;
    std::uint64_t number =
        0;  // address, register or value; of an implicit pointer the position of what it points at
    std::int64_t offset = 0;                     // of an implicit pointer: bytes into that
    ByteSpan bytes;                              // for `bytes`; borrowed from the section
    std::uint64_t bit_size = 0, bit_offset = 0;  // 0 size: the whole object
};

struct Location {
    std::vector<LocationPiece> pieces;  // one piece of size 0 for a simple location; empty: nowhere
    std::string reason;  // why it is nowhere, when more is known than "optimised away"
};

// The address of a variable that lies at a fixed place of its frame, as nearly all do in code that
// was not optimised; nothing for any other expression. Throws FormatError.
std::optional<std::uint64_t> address_in_frame(ByteSpan expression, ExpressionContext& context);

// Throws FormatError for a malformed expression and MemoryError for a failing read. When something
// the expression needs is not known (a register of an outer frame), the location is empty and
// `reason` says so.
Location evaluate_location(ByteSpan expression, const Unit* unit, ExpressionContext& context);

// The number that an expression computes, each step of it cut to `size` bytes (1 to 8). gcc writes
// a shift to the right of a 4-byte number as one of 8 bytes, and does not cut what a product or a
// sum before it has carried beyond 4: then only this way leads to what the program has. Nothing
// where no shift asks for the upper bits, or where something else does. Never throws.
std::optional<std::uint64_t> evaluate_narrow(ByteSpan expression, const Unit* unit,
                                             ExpressionContext& context, unsigned size);

// An expression that computes an address or a number, for frame bases and call-frame information:
// `initial` is on the stack before it starts. Nothing if something it needs is not known.
std::optional<std::uint64_t> evaluate_number(ByteSpan expression, const Unit* unit,
                                             ExpressionContext& context,
                                             std::optional<std::uint64_t> initial = std::nullopt);

}  // namespace lantern::dwarf
