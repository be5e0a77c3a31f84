#include "core/dwarf/location_list.h"

#include <fmt/format.h>

#include <algorithm>

namespace lantern::dwarf {
namespace {

struct Rows {
    std::uint16_t low = 0, high = 0;
};

Rows read_rows(ByteReader& reader) {
    auto low = std::min<std::uint64_t>(reader.uleb(), kLastRow);
    auto high = std::min<std::uint64_t>(reader.uleb(), kLastRow);
    return {static_cast<std::uint16_t>(low), static_cast<std::uint16_t>(high)};
}

std::vector<LocationRange> read_location_list_4(const Unit& unit, std::uint64_t offset) {
    ByteReader reader(unit.sections().loc, ".debug_loc", offset);
    std::uint64_t base = unit.root().low_pc.value;
    std::uint64_t selects_base = unit.address_size == 8 ? ~std::uint64_t{0} : 0xffffffff;
    std::vector<LocationRange> found;
    for (;;) {
        std::uint64_t low = reader.unsigned_of_size(unit.address_size),
                      high = reader.unsigned_of_size(unit.address_size);
        if (low == 0 && high == 0) return found;
        if (low == selects_base) {
            base = high;
            continue;
        }
        ByteSpan expression = reader.block(reader.u16());
        found.push_back({FileRange{FileAddress(base + low), FileAddress(base + high)}, expression});
    }
}

// Split DWARF 4 has a form of its own, half-way to version 5.
std::vector<LocationRange> read_split_location_list_4(const Unit& unit, std::uint64_t offset) {
    ByteReader reader(unit.sections().loc, ".debug_loc.dwo", unit.locations_start() + offset);
    std::uint64_t base = unit.root().low_pc.value;
    std::vector<LocationRange> found;
    for (;;) {
        std::uint64_t low = 0, high = 0;
        switch (std::uint8_t kind = reader.u8()) {
            case DW_LLE_GNU_end_of_list_entry: return found;
            case DW_LLE_GNU_base_address_selection_entry:
                base = unit.indexed_address(reader.uleb()).value;
                continue;
            case DW_LLE_GNU_start_end_entry:
                low = unit.indexed_address(reader.uleb()).value;
                high = unit.indexed_address(reader.uleb()).value;
                break;
            case DW_LLE_GNU_start_length_entry:
                low = unit.indexed_address(reader.uleb()).value;
                high = low + reader.u32();
                break;
            case DW_LLE_GNU_offset_pair_entry:
                low = base + reader.u32();
                high = base + reader.u32();
                break;
            default:
                reader.fail(fmt::format("split location list entry kind {} is not known", kind));
        }
        ByteSpan expression = reader.block(reader.u16());
        found.push_back({FileRange{FileAddress(low), FileAddress(high)}, expression});
    }
}

std::vector<LocationRange> read_location_list_5(const Unit& unit, std::uint64_t offset) {
    ByteReader reader(unit.sections().loclists, ".debug_loclists", offset);
    std::uint64_t base = unit.root().low_pc.value;
    std::vector<LocationRange> found;
    Rows rows;
    auto add = [&](std::uint64_t low, std::uint64_t high) {
        ByteSpan expression = reader.block(reader.uleb());
        found.push_back({FileRange{FileAddress(low), FileAddress(high)}, expression, false,
                         rows.low, rows.high});
        rows = {};
    };
    for (;;) {
        switch (std::uint8_t kind = reader.u8()) {
            case DW_LLE_end_of_list: return found;
            case DW_LLE_base_addressx: base = unit.indexed_address(reader.uleb()).value; break;
            case DW_LLE_base_address: base = reader.unsigned_of_size(unit.address_size); break;
            case DW_LLE_startx_endx: {
                std::uint64_t low = unit.indexed_address(reader.uleb()).value;
                add(low, unit.indexed_address(reader.uleb()).value);
                break;
            }
            case DW_LLE_startx_length: {
                std::uint64_t low = unit.indexed_address(reader.uleb()).value;
                std::uint64_t length = reader.uleb();
                add(low, low + length);
                break;
            }
            case DW_LLE_offset_pair: {
                std::uint64_t low = reader.uleb(), high = reader.uleb();
                add(base + low, base + high);
                break;
            }
            case DW_LLE_default_location:
                found.push_back({std::nullopt, reader.block(reader.uleb()), true});
                break;
            case DW_LLE_start_end: {
                std::uint64_t low = reader.unsigned_of_size(unit.address_size);
                std::uint64_t high = reader.unsigned_of_size(unit.address_size);
                add(low, high);
                break;
            }
            case DW_LLE_start_length: {
                std::uint64_t low = reader.unsigned_of_size(unit.address_size);
                std::uint64_t length = reader.uleb();
                add(low, low + length);
                break;
            }
            case DW_LLE_GNU_view_pair:  // the rows of the next range, written into the list
                rows = read_rows(reader);
                break;
            default: reader.fail(fmt::format("location list entry kind {} is not known", kind));
        }
    }
}

// Every range of the list, the empty ones too: rows are numbered for those as well.
std::vector<LocationRange> all_ranges(const Unit& unit, std::uint16_t form, std::uint64_t number) {
    if (form == DW_FORM_loclistx)
        return read_location_list_5(unit, unit.location_list_offset(number));
    if (unit.version >= 5) return read_location_list_5(unit, number);
    return unit.section().is_split ? read_split_location_list_4(unit, number)
                                   : read_location_list_4(unit, number);
}

// Two numbers for each range, in their order.
void add_rows(const Entry& entry, std::vector<LocationRange>& ranges) {
    auto rows = entry.number(DW_AT_GNU_locviews);
    const Unit& unit = entry.unit();
    if (!rows || unit.section().is_split) return;
    ByteReader reader = unit.version >= 5
                            ? ByteReader(unit.sections().loclists, ".debug_loclists", *rows)
                            : ByteReader(unit.sections().loc, ".debug_loc", *rows);
    for (LocationRange& range : ranges) {
        if (!range.range) continue;
        Rows rows = read_rows(reader);
        range.low_row = rows.low;
        range.high_row = rows.high;
    }
}

void drop_empty(std::vector<LocationRange>& ranges) {
    std::erase_if(ranges, [](const LocationRange& each) {
        return each.range &&
               (each.range->low > each.range->high ||
                (each.range->low == each.range->high && each.low_row >= each.high_row));
    });
}

}  // namespace

bool LocationRange::holds_at(FileAddress pc, std::uint16_t row) const {
    if (!range || pc < range->low || pc > range->high) return false;
    return (pc != range->low || row >= low_row) && (pc != range->high || row < high_row);
}

std::vector<LocationRange> location_list(const Unit& unit, std::uint16_t form,
                                         std::uint64_t number) {
    std::vector<LocationRange> ranges = all_ranges(unit, form, number);
    drop_empty(ranges);
    return ranges;
}

std::vector<LocationRange> locations_of(const Entry& entry, At attribute) {
    auto value = entry.attribute(attribute);
    if (!value) return {};
    const Unit& unit = entry.unit();
    switch (value->form_class) {
        case FormClass::expression:
        case FormClass::block: return {{std::nullopt, value->block}};
        case FormClass::list_index:
        case FormClass::section_offset: {
            std::vector<LocationRange> ranges = all_ranges(unit, value->form, value->number);
            if (attribute == DW_AT_location) add_rows(entry, ranges);
            drop_empty(ranges);
            return ranges;
        }
        default: return {};
    }
}

std::optional<ByteSpan> expression_at(const std::vector<LocationRange>& locations, FileAddress pc,
                                      std::uint16_t row) {
    const LocationRange* fallback = nullptr;
    for (const LocationRange& location : locations) {
        if (!location.range) {
            fallback = &location;
        } else if (location.holds_at(pc, row)) {
            return location.expression;
        }
    }
    if (fallback) return fallback->expression;
    return std::nullopt;
}

}  // namespace lantern::dwarf
