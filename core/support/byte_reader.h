// Reads numbers and strings out of bytes that nobody vouches for. Every read is checked against the
// end; a read past it throws a FormatError that names the section and the offset.
#pragma once

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <span>
#include <string>
#include <string_view>

namespace lantern {

using ByteSpan = std::span<const std::byte>;

class ByteReader {
  public:
    // `bytes` is borrowed and must outlive the reader. `section` is used in error messages only.
    ByteReader(ByteSpan bytes, std::string_view section, std::uint64_t offset = 0)
        : bytes_(bytes), section_(section) {
        seek(offset);
    }

    std::uint64_t offset() const { return offset_; }
    std::uint64_t size() const { return bytes_.size(); }
    std::uint64_t remaining() const { return bytes_.size() - offset_; }
    bool at_end() const { return offset_ >= bytes_.size(); }
    std::string_view section() const { return section_; }

    void seek(std::uint64_t offset);
    void skip(std::uint64_t count);

    std::uint8_t u8() { return fixed<std::uint8_t>(); }
    std::uint16_t u16() { return fixed<std::uint16_t>(); }
    std::uint32_t u24();
    std::uint32_t u32() { return fixed<std::uint32_t>(); }
    std::uint64_t u64() { return fixed<std::uint64_t>(); }
    std::int8_t i8() { return fixed<std::int8_t>(); }
    std::int16_t i16() { return fixed<std::int16_t>(); }
    std::int32_t i32() { return fixed<std::int32_t>(); }
    std::int64_t i64() { return fixed<std::int64_t>(); }
    std::uint64_t unsigned_of_size(unsigned size);  // 1, 2, 3, 4 or 8 bytes
    std::uint64_t uleb();                           // DWARF 5 §7.6
    std::int64_t sleb();
    std::string_view c_string();  // without its terminator; the view borrows the section
    ByteSpan block(std::uint64_t size);

    // The same bytes from `offset` on, cut at `end`: for tables that say how long they are.
    ByteReader part(std::uint64_t offset, std::uint64_t end) const;

    [[noreturn]] void fail(const std::string& what) const;

  private:
    template <class T>
    T fixed() {
        if (remaining() < sizeof(T)) fail("the data ends in the middle of a number");
        T value;
        std::memcpy(&value, bytes_.data() + offset_, sizeof(T));
        offset_ += sizeof(T);
        return value;
    }

    ByteSpan bytes_;
    std::string_view section_;
    std::uint64_t offset_ = 0;
};

}  // namespace lantern
