// What a program says about where its debug information went: .gnu_debuglink (a file name and a
// checksum), .gnu_debugaltlink (the file dwz shares between programs) and .gnu_debugdata (a small
// ELF file inside, compressed).
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>

#include "core/object/elf_file.h"

namespace lantern {

struct DebugLink {
    std::string name;
    std::uint32_t checksum = 0;  // CRC-32 of the whole file it names
};
struct SharedLink {
    std::string path;
    std::string build_id;  // lower-case hex
};

// Nothing where the section is missing or damaged.
std::optional<DebugLink> read_debug_link(const ElfFile& file);
std::optional<SharedLink> read_shared_link(
    const ElfFile& file);  // .gnu_debugaltlink, else .debug_sup (DWARF 5 §7.3.6)
// The file inside; null if there is none. Throws FormatError.
std::unique_ptr<ElfFile> open_inner_symbols(const ElfFile& file);

std::uint32_t checksum_of(const ElfFile& file);

}  // namespace lantern
