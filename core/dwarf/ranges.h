// Which addresses an entry covers: low/high pc, .debug_ranges (DWARF 4 §2.17.3), .debug_rnglists
// (DWARF 5 §2.17.3).
#pragma once

#include <vector>

#include "core/dwarf/entry.h"

namespace lantern::dwarf {

// File addresses, in the order of the file. Empty ranges, and those that the linker left at 0 or
// all ones when it threw the code away, are left out. Throws FormatError.
std::vector<FileRange> ranges_of(const Entry& entry);
// The same for a DW_AT_ranges that was read already: `number` is an index where the form is
// DW_FORM_rnglistx, else an offset.
std::vector<FileRange> range_list(const Unit& unit, std::uint16_t form, std::uint64_t number);

}  // namespace lantern::dwarf
