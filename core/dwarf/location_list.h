// Where a variable lives, by program counter: one expression for its whole scope, or a list of
// (range, expression) (DWARF 4 §2.6.2, DWARF 5 §2.6.2).
//
// Statements that need no code stand at one address, one row of the line table each. gcc then says
// from which row on a range holds and up to which (DW_AT_GNU_locviews):
//
//     0x1180  row 0  line 12  level = 7;        0x1160 row 0 to 0x1180 row 1   in rax
//     0x1180  row 1  line 13  level = 0;        0x1180 row 1 to 0x1180 row 2   the constant 7
//     0x1180  row 2  line 14  use(level);       0x1180 row 2 to 0x11a0 row 0   the constant 0
#pragma once

#include <optional>
#include <vector>

#include "core/dwarf/entry.h"

namespace lantern::dwarf {

struct LocationRange {
    std::optional<FileRange> range;  // nothing: everywhere the variable is in scope
    ByteSpan expression;             // borrowed from the section; empty means "optimised away here"
    bool is_default = false;         // holds where no other range does
    // From which row of the line table at the range's low address it holds, and up to which, not
    // included, at its high one; 0: for all of them, and for none.
    std::uint16_t low_row = 0, high_row = 0;

    bool holds_at(FileAddress pc, std::uint16_t row) const;
};

// Of an address that no row begins at, or that all rows of have been passed at.
constexpr std::uint16_t kLastRow = 0xffff;

// The location attribute's contents, in the order of the file; empty if the entry has none. Throws
// FormatError.
std::vector<LocationRange> locations_of(const Entry& entry, At attribute = DW_AT_location);

// The same for a list attribute that was read already: `number` is an index where the form is
// DW_FORM_loclistx.
std::vector<LocationRange> location_list(const Unit& unit, std::uint16_t form,
                                         std::uint64_t number);

// The expression that holds at `pc`, when the row of that number at it is about to run; nothing if
// none does.
std::optional<ByteSpan> expression_at(const std::vector<LocationRange>& locations, FileAddress pc,
                                      std::uint16_t row = kLastRow);

}  // namespace lantern::dwarf
