// Which blocks of the heap hold pointers to which. All blocks are read once, in the order of their
// addresses and by all processors; after that no question needs the process's memory.
//
//     block 0: pointers to the beginning of 2 and into 5
//     block 1: none
//     block 2: to the beginning of 0
//
//     ends   0: 2   1: 2   2: 3
//     links  [2 beginning, 5 middle, 0 beginning]
#pragma once

#include <span>

#include "core/heap/block_index.h"

namespace lantern {

// That a block holds a pointer to another.
class BlockLink {
  public:
    BlockLink() = default;
    BlockLink(std::uint32_t block, bool is_to_beginning)
        : block_(block), is_to_beginning_(is_to_beginning) {}
    std::uint32_t block() const { return block_; }
    bool is_to_beginning() const { return is_to_beginning_; }
    bool operator==(const BlockLink& other) const = default;

  private:
    std::uint32_t block_ : 31 = 0, is_to_beginning_ : 1 = 0;  // hundreds of millions are kept
};

// Words of blocks in use that could be pointers to other blocks in use.
class PointerGraph {
  public:
    // Throws what `progress` throws; it is told the share of the blocks that are done.
    PointerGraph(Target& target, const Heap& heap, const BlockIndex& index,
                 const std::function<void(double done)>& progress);

    // What the block with that number in the heap points to, in the order of the words. The same
    // link is not told twice in a row.
    std::span<const BlockLink> links(std::uint32_t block) const {
        const Part& part = parts_[block / kPartBlocks];
        std::uint32_t i = block % kPartBlocks;
        std::uint32_t begin = i ? part.ends[i - 1] : 0;
        return std::span(part.links).subspan(begin, part.ends[i] - begin);
    }

  private:
    // So many blocks that lie one behind another.
    static constexpr std::uint32_t kPartBlocks = 512;
    struct Part {
        std::vector<std::uint32_t> ends;  // of each block's links
        std::vector<BlockLink> links;
    };
    std::vector<Part> parts_;
};

}  // namespace lantern
