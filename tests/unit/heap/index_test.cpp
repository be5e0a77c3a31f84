// Which block a number points into, held against a plain search of them all.
#include <gtest/gtest.h>

#include <random>

#include "core/heap/block_index.h"

namespace lantern {
namespace {

std::uint32_t searched(const Heap& heap, std::uint64_t address) {
    for (std::uint32_t i = 0; i < heap.blocks.size(); ++i)
        if (heap.blocks[i].address <= address && address < heap.blocks[i].end()) return i;
    return BlockIndex::kNone;
}

TEST(BlockIndex, FindsWhatAPlainSearchFinds) {
    std::mt19937_64 random(17);
    for (int round = 0; round < 20; ++round) {
        Heap heap;
        std::uint64_t at = 0x555555560010;
        for (int i = 0; i < 300; ++i) {
            std::uint64_t size = 24 + random() % 60 * 16;
            if (i % 97 == 0) size += 3 << 20;
            heap.blocks.emplace_back(RunAddress(at), size, 1, HeapBlock::State::in_use);
            at += size + 8 + (i % 50 == 0 ? random() % 8 * (2 << 20) : 0);
        }
        BlockIndex index(heap);
        for (const HeapBlock& block : heap.blocks)
            for (std::uint64_t address : {block.address - 1, block.address, block.address + 1,
                                          block.end() - 1, block.end(), block.end() + 8})
                ASSERT_EQ(index.holding(address), searched(heap, address)) << std::hex << address;
        for (int i = 0; i < 2000; ++i) {
            std::uint64_t address = 0x555555550000 + random() % (at + 0x10000 - 0x555555550000);
            ASSERT_EQ(index.holding(address), searched(heap, address)) << std::hex << address;
        }
        EXPECT_EQ(index.holding(0), BlockIndex::kNone);
        EXPECT_EQ(index.holding(~std::uint64_t{0}), BlockIndex::kNone);
    }
}

TEST(BlockIndex, OfAnEmptyHeapFindsNothing) {
    Heap heap;
    EXPECT_EQ(BlockIndex(heap).holding(0x555555560010), BlockIndex::kNone);
}

}  // namespace
}  // namespace lantern
