#include "core/object/debug_link.h"

#include <fmt/format.h>
#include <libdeflate.h>

#include "core/object/compression.h"
#include "core/support/error.h"

namespace lantern {
namespace {

std::string hex(ByteSpan bytes) {
    std::string out;
    for (std::byte b : bytes) out += fmt::format("{:02x}", static_cast<unsigned>(b));
    return out;
}

}  // namespace

std::optional<DebugLink> read_debug_link(const ElfFile& file) {
    try {
        ByteSpan bytes = file.bytes(".gnu_debuglink");
        if (bytes.empty()) return std::nullopt;
        ByteReader reader(bytes, ".gnu_debuglink");
        DebugLink link;
        link.name = reader.c_string();
        reader.seek((reader.offset() + 3) & ~std::uint64_t{3});
        link.checksum = reader.u32();
        if (link.name.empty() || link.name.find('/') != std::string::npos) return std::nullopt;
        return link;
    } catch (const FormatError&) {
        return std::nullopt;
    }
}

std::optional<SharedLink> read_shared_link(const ElfFile& file) {
    try {
        if (ByteSpan bytes = file.bytes(".gnu_debugaltlink"); !bytes.empty()) {
            ByteReader reader(bytes, ".gnu_debugaltlink");
            std::string path(reader.c_string());
            return SharedLink{path, hex(bytes.subspan(reader.offset()))};
        }
        if (ByteSpan bytes = file.bytes(".debug_sup"); !bytes.empty()) {
            ByteReader reader(bytes, ".debug_sup");
            reader.u16();                               // version
            if (reader.u8() != 0) return std::nullopt;  // it is the shared file itself
            std::string path(reader.c_string());
            return SharedLink{path, hex(reader.block(reader.uleb()))};
        }
    } catch (const FormatError&) {
    }
    return std::nullopt;
}

std::unique_ptr<ElfFile> open_inner_symbols(const ElfFile& file) {
    ByteSpan bytes = file.bytes(".gnu_debugdata");
    if (bytes.empty()) return nullptr;
    return std::make_unique<ElfFile>(decompress_xz(bytes),
                                     ".gnu_debugdata of " + file.path().string());
}

std::uint32_t checksum_of(const ElfFile& file) {
    ByteSpan bytes = file.whole_file();
    return libdeflate_crc32(0, bytes.data(), bytes.size());
}

}  // namespace lantern
