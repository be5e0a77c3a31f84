// The DWARF sections of one object file, as borrowed bytes. A missing section is empty.
#pragma once

#include "core/support/byte_reader.h"

namespace lantern::dwarf {

struct Sections {
    ByteSpan info, abbrev, line, str, line_str, str_offsets, addr, ranges, rnglists, loc, loclists;
};

}  // namespace lantern::dwarf
