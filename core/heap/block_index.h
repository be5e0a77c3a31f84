// Finds the block that a number could point into, quickly: most numbers are no pointers, and a heap
// holds hundreds of millions of words.
//
//     memory   |block 0|block 1        |block 2|block 3
//     bits      1 0 0 0 1 0 0 0 0 0 0 0 1 0 0 0 1 0 …   where blocks begin: one for 16 bytes
//     first     0                                   4   the first block behind: one for 64 bits
//
// The block that holds an address is the first one of its 64 bits, and so many further as there are
// bits up to there, less one.
#pragma once

#include <bit>

#include "core/heap/heap.h"

namespace lantern {

class BlockIndex {
  public:
    static constexpr std::uint32_t kNone = ~std::uint32_t{0};

    explicit BlockIndex(const Heap& heap);  // borrowed
    // The number of the block that holds the address; kNone: none. One past its end is the next
    // one's header.
    std::uint32_t holding(std::uint64_t address) const {
        if (address < low_ || address >= high_) return kNone;
        const Span* span = span_of(address);
        if (!span) return kNone;
        std::uint64_t step = (address - span->low) / kStep;
        const Steps& steps = span->steps[step / kBits];
        std::uint64_t up_to_here = steps.begins << (kBits - 1 - step % kBits);
        std::uint32_t number =
            steps.first + static_cast<std::uint32_t>(std::popcount(up_to_here)) - 1;
        const HeapBlock& block = heap_.blocks[number];
        bool is_inside =
            address >= block.address && (address < block.end() || address == block.address);
        return is_inside ? number : kNone;
    }

  private:
    static constexpr std::uint64_t kStep = 16;  // bytes: blocks begin at multiples of it
    static constexpr std::uint64_t kBits = 64;
    struct Steps {
        std::uint64_t begins = 0;
        std::uint32_t first = 0;
    };
    // Blocks that lie near each other. The first of them begins at `low`.
    struct Span {
        std::uint64_t low = 0, high = 0;
        std::vector<Steps> steps;
    };
    const Span* span_of(std::uint64_t address) const {
        return spans_.size() == 1 ? &spans_.front() : one_of_spans(address);
    }
    const Span* one_of_spans(std::uint64_t address) const;
    void close(Span span, std::size_t first, std::size_t end);

    const Heap& heap_;
    std::vector<Span> spans_;
    std::uint64_t low_ = ~std::uint64_t{0}, high_ = 0;
};

}  // namespace lantern
