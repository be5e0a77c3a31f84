// Positions of entries. A module's entries may stand in several sections and files: .debug_info,
// .debug_types, the file that dwz shares between programs, and one split file for each unit. A
// position counts through all of them: its upper bits number the section, the lower ones are the
// offset in it. The program's own .debug_info is section 0, so there a position is simply the
// offset that an object dumper shows.
#pragma once

#include <cstdint>
#include <string>

#include "core/dwarf/sections.h"

namespace lantern::dwarf {

using Position = std::uint64_t;

constexpr unsigned kOffsetBits = 40;  // a section of a terabyte; 16 million sections
constexpr std::uint64_t kOffsetMask = (std::uint64_t{1} << kOffsetBits) - 1;

// One section of units, and the sections those units refer to. Borrowed bytes.
struct InfoSection {
    std::uint32_t number = 0;
    ByteSpan bytes;
    std::string name;  // ".debug_info", and the file where that is not the program's own
    Sections sections;
    const InfoSection* shared =
        nullptr;            // where DW_FORM_GNU_ref_alt, DW_FORM_ref_sup4 and their like lead
    bool is_split = false;  // of a .dwo file or a package

    Position base() const { return std::uint64_t{number} << kOffsetBits; }
};

// Where a name's text stands: like a Position, in one of the three places a section's names can be.
using TextPosition = std::uint64_t;
enum class TextPlace : std::uint8_t { info = 0, str = 1, line_str = 2 };

inline TextPosition text_position(const InfoSection& section, TextPlace place,
                                  std::uint64_t offset) {
    return ((std::uint64_t{section.number} * 4 + static_cast<std::uint64_t>(place))
            << kOffsetBits) |
           (offset & kOffsetMask);
}

}  // namespace lantern::dwarf
