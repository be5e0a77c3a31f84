// Finds the block that a number could point into, quickly: most numbers are no pointers.
#pragma once

#include "core/heap/heap.h"

namespace lantern {

class BlockIndex {
  public:
    static constexpr std::uint32_t kNone = ~std::uint32_t{0};

    explicit BlockIndex(const Heap& heap);  // borrowed
    // The number of the block that holds the address; kNone: none. One past its end is the next
    // one's header.
    std::uint32_t holding(std::uint64_t address) const;

  private:
    // Blocks that lie near each other: for each page the last block that begins at or before it.
    struct Span {
        std::uint64_t low = 0, high = 0;
        std::uint32_t first = 0, last = 0;  // blocks
        std::vector<std::uint32_t> by_page;
    };
    const Span* span_of(std::uint64_t address) const;
    void close(Span span);

    const Heap& heap_;
    std::vector<Span> spans_;
    std::uint64_t low_ = ~std::uint64_t{0}, high_ = 0;
};

}  // namespace lantern
