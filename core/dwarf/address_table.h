// .debug_aranges: which unit owns which addresses, where the compiler or linker wrote that down
// (DWARF 5 §6.1.2).
#pragma once

#include <vector>

#include "core/dwarf/unit.h"

namespace lantern::dwarf {

struct AddressTableEntry {
    FileRange range;
    Position unit = 0;  // as the table says; whether a unit starts there is for the caller to see
};

// In the order of the file. Throws FormatError.
std::vector<AddressTableEntry> read_address_table(ByteSpan debug_aranges);

}  // namespace lantern::dwarf
