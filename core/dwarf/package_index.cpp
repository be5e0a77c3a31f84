#include "core/dwarf/package_index.h"

#include <fmt/format.h>

namespace lantern::dwarf {
namespace {

void set_part(PackageRow& row, std::uint32_t column, std::uint16_t version, std::uint64_t offset) {
    switch (column) {
        case DW_SECT_INFO: row.info_offset = offset; break;
        case DW_SECT_TYPES:
            if (version < 5) row.info_offset = offset;
            break;
        case DW_SECT_ABBREV: row.parts.abbrev = offset; break;
        case DW_SECT_LINE: row.parts.line = offset; break;
        case DW_SECT_LOCLISTS: row.parts.location_lists = offset; break;  // .debug_loc in version 2
        case DW_SECT_STR_OFFSETS: row.parts.string_offsets = offset; break;
        case DW_SECT_RNGLISTS:
            if (version >= 5) row.parts.range_lists = offset;
            break;
        default: break;
    }
}

}  // namespace

std::vector<PackageRow> read_package_index(ByteSpan section, std::string_view name) {
    std::vector<PackageRow> rows;
    if (section.empty()) return rows;
    ByteReader reader(section, name);
    // Version 2 fills four bytes with the version, version 5 two, and two of padding.
    std::uint32_t first = reader.u32();
    std::uint16_t version = static_cast<std::uint16_t>(first);
    if (version != 2 && version != 5)
        reader.fail(fmt::format("package index version {} is not known", version));
    std::uint64_t columns = reader.u32(), units = reader.u32(), slots = reader.u32();
    std::uint64_t needed = slots * 12 + columns * 4 + units * columns * 8;
    if (columns > 16 || units > slots || needed > reader.remaining())
        reader.fail(fmt::format("an index of {} units in {} slots does not fit", units, slots));
    ByteReader signatures = reader;
    reader.skip(slots * 8);
    ByteReader indexes = reader;
    reader.skip(slots * 4);
    rows.resize(units);
    for (std::uint64_t slot = 0; slot < slots; ++slot) {
        std::uint64_t signature = signatures.u64();
        std::uint32_t row = indexes.u32();
        if (row == 0) continue;
        if (row > units)
            reader.fail(fmt::format("slot {} leads to row {} of {}", slot, row, units));
        rows[row - 1].signature = signature;
    }
    std::vector<std::uint32_t> kinds(columns);
    for (std::uint32_t& kind : kinds) kind = reader.u32();
    for (PackageRow& row : rows)
        for (std::uint32_t kind : kinds) set_part(row, kind, version, reader.u32());
    return rows;
}

}  // namespace lantern::dwarf
