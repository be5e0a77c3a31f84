#include "core/support/byte_reader.h"

#include <fmt/format.h>

#include "core/support/error.h"

namespace lantern {

void ByteReader::fail(const std::string& what) const {
    throw FormatError(fmt::format("{} at offset {:#x}: {}", section_, offset_, what));
}

void ByteReader::seek(std::uint64_t offset) {
    if (offset > bytes_.size()) {
        throw FormatError(
            fmt::format("{}: offset {:#x} lies beyond the end of the section ({:#x} bytes)",
                        section_, offset, bytes_.size()));
    }
    offset_ = offset;
}

void ByteReader::skip(std::uint64_t count) {
    if (count > remaining())
        fail(fmt::format("{} bytes are announced but {} are left", count, remaining()));
    offset_ += count;
}

std::uint32_t ByteReader::u24() {
    std::uint32_t low = u16();
    return low | static_cast<std::uint32_t>(u8()) << 16;
}

std::uint64_t ByteReader::unsigned_of_size(unsigned size) {
    switch (size) {
        case 1: return u8();
        case 2: return u16();
        case 3: return u24();
        case 4: return u32();
        case 8: return u64();
        default: fail(fmt::format("a number of {} bytes is not supported", size));
    }
}

std::uint64_t ByteReader::uleb() {
    std::uint64_t result = 0;
    for (unsigned shift = 0;; shift += 7) {
        std::uint8_t byte = u8();
        if (shift < 64) result |= static_cast<std::uint64_t>(byte & 0x7f) << shift;
        if (!(byte & 0x80)) return result;
        if (shift > 140) fail("a variable-length number does not end");
    }
}

std::int64_t ByteReader::sleb() {
    std::uint64_t result = 0;
    unsigned shift = 0;
    for (;;) {
        std::uint8_t byte = u8();
        if (shift < 64) result |= static_cast<std::uint64_t>(byte & 0x7f) << shift;
        shift += 7;
        if (!(byte & 0x80)) {
            if (shift < 64 && (byte & 0x40)) result |= ~std::uint64_t{0} << shift;
            return static_cast<std::int64_t>(result);
        }
        if (shift > 140) fail("a variable-length number does not end");
    }
}

std::string_view ByteReader::c_string() {
    const char* start = reinterpret_cast<const char*>(bytes_.data()) + offset_;
    const void* end = remaining() ? std::memchr(start, 0, remaining()) : nullptr;
    if (!end) fail("a string has no terminator");
    std::string_view text(start, static_cast<const char*>(end) - start);
    offset_ += text.size() + 1;
    return text;
}

ByteSpan ByteReader::block(std::uint64_t size) {
    std::uint64_t start = offset_;
    skip(size);
    return bytes_.subspan(start, size);
}

ByteReader ByteReader::part(std::uint64_t offset, std::uint64_t end) const {
    if (end > bytes_.size() || offset > end) {
        throw FormatError(fmt::format(
            "{}: a table at {:#x} claims to end at {:#x}, beyond the section's {:#x} bytes",
            section_, offset, end, bytes_.size()));
    }
    return ByteReader(bytes_.first(end), section_, offset);
}

}  // namespace lantern
