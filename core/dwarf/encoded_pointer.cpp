#include "core/dwarf/encoded_pointer.h"

#include <fmt/format.h>

#include "core/dwarf/constants.h"

namespace lantern::dwarf {

namespace {

std::uint64_t read_value(ByteReader& reader, std::uint8_t form) {
    switch (form) {
        case DW_EH_PE_absptr:
        case DW_EH_PE_udata8:
        case DW_EH_PE_sdata8: return reader.u64();
        case DW_EH_PE_uleb128: return reader.uleb();
        case DW_EH_PE_sleb128: return static_cast<std::uint64_t>(reader.sleb());
        case DW_EH_PE_udata2: return reader.u16();
        case DW_EH_PE_sdata2: return static_cast<std::uint64_t>(std::int64_t{reader.i16()});
        case DW_EH_PE_udata4: return reader.u32();
        case DW_EH_PE_sdata4: return static_cast<std::uint64_t>(std::int64_t{reader.i32()});
        default: reader.fail(fmt::format("pointer encoding {:#x} is not known", form));
    }
}

}  // namespace

std::uint64_t read_encoded_pointer(ByteReader& reader, std::uint8_t encoding, FileAddress bytes_at,
                                   FileAddress data) {
    if (encoding == DW_EH_PE_omit) return 0;
    std::uint64_t here = bytes_at.value + reader.offset();
    std::uint64_t value = read_value(reader, encoding & 0x0f);
    if (value == 0) return 0;
    switch (encoding & 0x70) {
        case DW_EH_PE_absptr: return value;
        case DW_EH_PE_pcrel: return here + value;
        case DW_EH_PE_datarel: return data.value + value;
        default: reader.fail(fmt::format("pointer encoding {:#x} is not supported", encoding));
    }
}

}  // namespace lantern::dwarf
