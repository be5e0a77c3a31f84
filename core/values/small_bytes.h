// Bytes of a value. Up to sixteen lie in the object itself: conditions make and drop many small
// values.
#pragma once

#include <algorithm>
#include <array>
#include <cstddef>
#include <vector>

#include "core/support/byte_reader.h"

namespace lantern {

class SmallBytes {
  public:
    SmallBytes() = default;
    explicit SmallBytes(ByteSpan bytes) : size_(bytes.size()) {
        if (size_ <= small_.size())
            std::ranges::copy(bytes, small_.begin());
        else
            large_.assign(bytes.begin(), bytes.end());
    }
    std::size_t size() const { return size_; }
    bool empty() const { return size_ == 0; }
    const std::byte* data() const { return size_ <= small_.size() ? small_.data() : large_.data(); }
    ByteSpan span() const { return {data(), size_}; }

  private:
    std::size_t size_ = 0;
    std::array<std::byte, 16> small_{};
    std::vector<std::byte> large_;
};

}  // namespace lantern
