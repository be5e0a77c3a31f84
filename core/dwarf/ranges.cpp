#include "core/dwarf/ranges.h"

#include <fmt/format.h>

namespace lantern::dwarf {
namespace {

class RangeCollector {
  public:
    void add(std::uint64_t low, std::uint64_t high) {
        if (low < high && low != 0 && low < ~std::uint64_t{1})
            ranges.push_back({FileAddress(low), FileAddress(high)});
    }
    std::vector<FileRange> ranges;
};

std::vector<FileRange> read_range_list_4(const Unit& unit, std::uint64_t offset) {
    ByteReader reader(unit.sections().ranges, ".debug_ranges", unit.ranges_start() + offset);
    std::uint64_t base = unit.root().low_pc.value;
    std::uint64_t selects_base = unit.address_size == 8 ? ~std::uint64_t{0} : 0xffffffff;
    RangeCollector found;
    for (;;) {
        std::uint64_t low = reader.unsigned_of_size(unit.address_size),
                      high = reader.unsigned_of_size(unit.address_size);
        if (low == 0 && high == 0) return std::move(found.ranges);
        if (low == selects_base) {
            base = high;
        } else if (low != high) {
            found.add(base + low, base + high);
        }
    }
}

std::vector<FileRange> read_range_list_5(const Unit& unit, std::uint64_t offset) {
    ByteReader reader(unit.sections().rnglists, ".debug_rnglists", offset);
    std::uint64_t base = unit.root().low_pc.value;
    RangeCollector found;
    for (;;) {
        switch (std::uint8_t kind = reader.u8()) {
            case DW_RLE_end_of_list: return std::move(found.ranges);
            case DW_RLE_base_addressx: base = unit.indexed_address(reader.uleb()).value; break;
            case DW_RLE_base_address: base = reader.unsigned_of_size(unit.address_size); break;
            case DW_RLE_startx_endx: {
                std::uint64_t low = unit.indexed_address(reader.uleb()).value;
                found.add(low, unit.indexed_address(reader.uleb()).value);
                break;
            }
            case DW_RLE_startx_length: {
                std::uint64_t low = unit.indexed_address(reader.uleb()).value;
                found.add(low, low + reader.uleb());
                break;
            }
            case DW_RLE_offset_pair: {
                std::uint64_t low = reader.uleb();
                found.add(base + low, base + reader.uleb());
                break;
            }
            case DW_RLE_start_end: {
                std::uint64_t low = reader.unsigned_of_size(unit.address_size);
                found.add(low, reader.unsigned_of_size(unit.address_size));
                break;
            }
            case DW_RLE_start_length: {
                std::uint64_t low = reader.unsigned_of_size(unit.address_size);
                found.add(low, low + reader.uleb());
                break;
            }
            default: reader.fail(fmt::format("range list entry kind {} is not known", kind));
        }
    }
}

}  // namespace

std::vector<FileRange> range_list(const Unit& unit, std::uint16_t form, std::uint64_t number) {
    if (unit.version < 5) return read_range_list_4(unit, number);
    return read_range_list_5(unit,
                             form == DW_FORM_rnglistx ? unit.range_list_offset(number) : number);
}

std::vector<FileRange> ranges_of(const Entry& entry) {
    if (auto list = entry.attribute(DW_AT_ranges))
        return range_list(entry.unit(), list->form, list->number);
    auto low = entry.attribute(DW_AT_low_pc);
    auto high = entry.attribute(DW_AT_high_pc);
    if (!low || !high) return {};
    RangeCollector found;
    // A high pc that is a constant counts from the low pc (DWARF 4 §2.17.2).
    found.add(low->number,
              high->form_class == FormClass::address ? high->number : low->number + high->number);
    return std::move(found.ranges);
}

}  // namespace lantern::dwarf
