// Compressed sections: the head that says how and how large, and the way back (System V gABI,
// "Compressed sections").
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "core/support/byte_reader.h"

namespace lantern {

struct CompressionHead {
    const char* name;         // "zlib", "zstd", "zlib, old form"
    std::uint64_t size = 0;   // decompressed
    std::uint64_t start = 0;  // of the compressed bytes in the section
    bool is_zstd = false;
};

// Nothing if the head is cut short or names a way that is not known.
std::optional<CompressionHead> read_compression_head(ByteSpan section);
std::optional<CompressionHead> read_old_compression_head(ByteSpan section);  // of .zdebug sections

// Throws FormatError when the bytes are damaged or claim a size they cannot have.
std::unique_ptr<std::byte[]> decompress(const CompressionHead& head, ByteSpan section);

// A whole .xz file, as .gnu_debugdata holds one. Throws FormatError.
std::vector<std::byte> decompress_xz(ByteSpan file);

}  // namespace lantern
