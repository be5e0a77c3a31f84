// Where a variable lives, by program counter: one expression for its whole scope, or a list of
// (range, expression) (DWARF 4 §2.6.2, DWARF 5 §2.6.2).
#pragma once

#include <optional>
#include <vector>

#include "core/dwarf/entry.h"

namespace lantern::dwarf {

struct LocationRange {
    std::optional<FileRange> range;  // nothing: everywhere the variable is in scope
    ByteSpan expression;             // borrowed from the section; empty means "optimised away here"
    bool is_default = false;         // holds where no other range does
};

// The location attribute's contents, in the order of the file; empty if the entry has none. Throws
// FormatError.
std::vector<LocationRange> locations_of(const Entry& entry, At attribute = DW_AT_location);

// The same for a list attribute that was read already: `number` is an index where the form is
// DW_FORM_loclistx.
std::vector<LocationRange> location_list(const Unit& unit, std::uint16_t form,
                                         std::uint64_t number);

// The expression that holds at `pc`, if there is one.
std::optional<ByteSpan> expression_at(const std::vector<LocationRange>& locations, FileAddress pc);

}  // namespace lantern::dwarf
