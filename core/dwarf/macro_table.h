// The macros of one unit in the order of its text: what is defined and taken back, in which file,
// at which line (DWARF 5 §6.3; the same before the standard took it over; DWARF 4 §6.3).
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/dwarf/unit.h"

namespace lantern::dwarf {

struct MacroEntry {
    enum class Kind : std::uint8_t { define, undefine, start_file, end_file } kind = Kind::define;
    std::uint32_t line = 0;  // in the file that is being read; of start_file: where it was included
    std::uint32_t file = 0;  // of start_file: its number in the unit's line table
    std::string_view text;  // "MOST 12", "SHARE(part, whole) ((part) * 100 / (whole))"; of undefine
                            // the name. Borrowed from the section.
};

// A definition, and where it stands in the source.
struct MacroDefinition {
    std::string_view text;  // as of a MacroEntry
    std::string file;       // empty: given to the compiler, or its own
    std::uint32_t line = 0;
};

// Empty for a unit without macros. Throws FormatError.
std::vector<MacroEntry> macros_of(const Unit& unit);

}  // namespace lantern::dwarf
