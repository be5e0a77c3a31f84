// The index of a split package (.dwp): which unit's parts stand where in its sections. (DWARF 5
// §7.3.5.3; version 2 is the pre-standard form of DWARF 4.)
#pragma once

#include <map>
#include <optional>
#include <vector>

#include "core/dwarf/unit.h"

namespace lantern::dwarf {

struct PackageRow {
    std::uint64_t signature = 0;    // the split id of a compile unit, the signature of a type unit
    std::uint64_t info_offset = 0;  // of the unit, in .debug_info.dwo or .debug_types.dwo
    Contribution parts;
};

// Throws FormatError.
std::vector<PackageRow> read_package_index(ByteSpan section, std::string_view section_name);

}  // namespace lantern::dwarf
