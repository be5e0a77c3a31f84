// The DWARF sections of one object file, as borrowed bytes. A missing section is empty.
#pragma once

#include "core/support/lazy_bytes.h"

namespace lantern::dwarf {

struct Sections {
    ByteSpan info, types, abbrev, line, str, line_str, str_offsets, addr, ranges, rnglists;
    LazyBytes loc, loclists, macro, macinfo;
    ByteSpan aranges, names;      // indexes that the compiler or linker may have made
    ByteSpan cu_index, tu_index;  // of a split package
};

}  // namespace lantern::dwarf
