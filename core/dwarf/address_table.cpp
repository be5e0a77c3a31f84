#include "core/dwarf/address_table.h"

#include <fmt/format.h>

namespace lantern::dwarf {

std::vector<AddressTableEntry> read_address_table(ByteSpan debug_aranges) {
    std::vector<AddressTableEntry> entries;
    ByteReader reader(debug_aranges, ".debug_aranges");
    while (!reader.at_end()) {
        std::uint64_t start = reader.offset();
        auto [length, offset_size] = read_initial_length(reader);
        if (length > reader.remaining())
            reader.fail(fmt::format("a set claims {:#x} bytes but {:#x} are left", length,
                                    reader.remaining()));
        std::uint64_t end = reader.offset() + length;
        ByteReader set = reader.part(reader.offset(), end);
        if (std::uint16_t version = set.u16(); version != 2)
            set.fail(fmt::format("version {} is not known", version));
        Position unit = set.unsigned_of_size(offset_size);
        unsigned address_size = set.u8(), segment_size = set.u8();
        if ((address_size != 4 && address_size != 8) || segment_size != 0)
            set.fail("its addresses are of a kind that is not supported");
        // The pairs are aligned to their own size, counted from the start of the set.
        std::uint64_t pair = 2 * address_size, into = set.offset() - start;
        set.skip((pair - into % pair) % pair);
        while (set.remaining() >= pair) {
            std::uint64_t low = set.unsigned_of_size(address_size),
                          size = set.unsigned_of_size(address_size);
            if (low == 0 && size == 0) break;
            if (size) entries.push_back({{FileAddress(low), FileAddress(low + size)}, unit});
        }
        reader.seek(end);
    }
    return entries;
}

}  // namespace lantern::dwarf
