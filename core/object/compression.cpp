#include "core/object/compression.h"

#include <elf.h>
#include <fmt/format.h>
#include <libdeflate.h>
#include <lzma.h>
#include <zstd.h>

#include <algorithm>
#include <cstring>

#include "core/support/error.h"

namespace lantern {
namespace {

constexpr std::uint32_t kZlib = 1, kZstd = 2;  // ch_type; <elf.h> of Debian 12 knows only the first

// What can come out of so many bytes: zlib repeats at most 1032-fold, zstd's blocks of 128 KiB take
// three bytes.
bool can_hold(const CompressionHead& head, std::uint64_t compressed) {
    return head.size / (head.is_zstd ? 45'000 : 1'100) <= compressed;
}

}  // namespace

std::optional<CompressionHead> read_compression_head(ByteSpan section) {
    if (section.size() < sizeof(Elf64_Chdr)) return std::nullopt;
    Elf64_Chdr header;
    std::memcpy(&header, section.data(), sizeof header);
    if (header.ch_type != kZlib && header.ch_type != kZstd) return std::nullopt;
    bool is_zstd = header.ch_type == kZstd;
    return CompressionHead{is_zstd ? "zstd" : "zlib", header.ch_size, sizeof header, is_zstd};
}

std::optional<CompressionHead> read_old_compression_head(ByteSpan section) {
    if (section.size() < 12 || std::memcmp(section.data(), "ZLIB", 4) != 0) return std::nullopt;
    std::uint64_t size = 0;
    for (int i = 4; i < 12; ++i) size = size << 8 | static_cast<std::uint64_t>(section[i]);
    return CompressionHead{"zlib, old form", size, 12, false};
}

std::unique_ptr<std::byte[]> decompress(const CompressionHead& head, ByteSpan section) {
    ByteSpan packed = section.subspan(head.start);
    if (!can_hold(head, packed.size()))
        throw FormatError(fmt::format("{} bytes cannot become {}", packed.size(), head.size));
    auto out = std::make_unique_for_overwrite<std::byte[]>(head.size);
    if (head.is_zstd) {
        std::size_t got = ZSTD_decompress(out.get(), head.size, packed.data(), packed.size());
        if (ZSTD_isError(got)) throw FormatError(ZSTD_getErrorName(got));
        if (got != head.size)
            throw FormatError(
                fmt::format("{} bytes came out where {} were announced", got, head.size));
        return out;
    }
    using Decompressor =
        std::unique_ptr<libdeflate_decompressor, decltype(&libdeflate_free_decompressor)>;
    Decompressor decompressor(libdeflate_alloc_decompressor(), &libdeflate_free_decompressor);
    if (!decompressor) throw FormatError("there is no memory to decompress it");
    std::size_t got = 0;
    auto status = libdeflate_zlib_decompress(decompressor.get(), packed.data(), packed.size(),
                                             out.get(), head.size, &got);
    if (status == LIBDEFLATE_INSUFFICIENT_SPACE)
        throw FormatError(
            fmt::format("more than the {} bytes that were announced came out", head.size));
    if (status != LIBDEFLATE_SUCCESS) throw FormatError("the data is damaged or cut short");
    if (got != head.size)
        throw FormatError(fmt::format("{} bytes came out where {} were announced", got, head.size));
    return out;
}

std::vector<std::byte> decompress_xz(ByteSpan file) {
    constexpr std::uint64_t kMostMemory = std::uint64_t{256} << 20;
    constexpr std::uint64_t kMostTimes = 2000;  // larger: no table of symbols
    std::vector<std::byte> out;
    lzma_stream stream = LZMA_STREAM_INIT;
    if (lzma_stream_decoder(&stream, kMostMemory, 0) != LZMA_OK)
        throw FormatError("the xz decoder does not start");
    stream.next_in = reinterpret_cast<const std::uint8_t*>(file.data());
    stream.avail_in = file.size();
    lzma_ret status = LZMA_OK;
    while (status == LZMA_OK && out.size() / kMostTimes <= file.size()) {
        std::size_t had = out.size();
        out.resize(had + std::max<std::size_t>(had, 65536));
        stream.next_out = reinterpret_cast<std::uint8_t*>(out.data()) + had;
        stream.avail_out = out.size() - had;
        status = lzma_code(&stream, LZMA_FINISH);
        out.resize(out.size() - stream.avail_out);
    }
    lzma_end(&stream);
    if (status != LZMA_STREAM_END) throw FormatError("the xz data is damaged or cut short");
    return out;
}

}  // namespace lantern
