// Which blocks point to which, held against a plain look at every word.
#include "core/heap/pointer_graph.h"

#include <gtest/gtest.h>

#include <random>

#include "core/heap/heap_memory.h"
#include "tests/testing/made_up_target.h"

namespace lantern {
namespace {

constexpr std::uint64_t kBegin = 0x555555560000;
constexpr std::size_t kSize = 6 << 20;

// So many that several processors share them; some are free, and some words lead into the middle of
// a block, to one that is free, or to nowhere.
struct MadeBlocks {
    MadeBlocks() {
        std::mt19937_64 random(23);
        for (std::uint64_t at = kBegin + 16; at + 2000 < kBegin + kSize;) {
            std::uint64_t size = 24 + random() % 8 * 16;
            auto state = random() % 9 ? HeapBlock::State::in_use : HeapBlock::State::free;
            heap.blocks.emplace_back(RunAddress(at), size, 1, state);
            at += size + 8;
        }
        for (const HeapBlock& block : heap.blocks)
            for (std::uint64_t at = block.address; at + 8 <= block.end(); at += 8) {
                const HeapBlock& other = heap.blocks[random() % heap.blocks.size()];
                std::uint64_t kind = random() % 4;
                target.put_word(at, kind == 0   ? other.address
                                    : kind == 1 ? other.address + random() % other.size()
                                    : kind == 2 ? other.end()
                                                : random() % 1000);
            }
    }
    std::uint64_t word(std::uint64_t at) {
        std::uint64_t word = 0;
        target.read_memory(RunAddress(at), std::as_writable_bytes(std::span(&word, 1)));
        return word;
    }
    testing::MadeUpTarget target{kBegin, kSize};
    Heap heap;
};

TEST(PointerGraph, HoldsTheLinksThatTheWordsMake) {
    MadeBlocks made;
    ASSERT_GT(made.heap.blocks.size(), 40'000u) << "several threads read them";
    BlockIndex index(made.heap);
    double told = 0;
    PointerGraph graph(made.target, made.heap, index, [&](double done) { told = done; });
    EXPECT_LE(told, 1);
    std::size_t links = 0;
    for (std::uint32_t i = 0; i < made.heap.blocks.size(); ++i) {
        const HeapBlock& block = made.heap.blocks[i];
        std::vector<BlockLink> expected;
        for (std::uint64_t at = block.address; block.is_in_use() && at + 8 <= block.end();
             at += 8) {
            const HeapBlock* other = made.heap.block_at(RunAddress(made.word(at)));
            if (!other || !other->is_in_use() || made.word(at) == other->end()) continue;
            BlockLink link(static_cast<std::uint32_t>(other - made.heap.blocks.data()),
                           made.word(at) == other->address);
            if (expected.empty() || expected.back() != link) expected.push_back(link);
        }
        auto found = graph.links(i);
        ASSERT_TRUE(std::ranges::equal(found, expected)) << "block " << i;
        links += expected.size();
    }
    EXPECT_GT(links, 100'000u);
}

// What is not mapped is passed over, and what lies behind it is read.
TEST(HeapMemory, GoesOverWhatIsNotThere) {
    testing::MadeUpTarget target(0x3000, 0x2000);
    target.put_word(0x3000, 7);
    target.put_word(0x4ff8, 9);
    std::vector<std::uint64_t> seen;
    HeapMemory memory(target);
    memory.for_each_word(0x1000, 0x7000, [&](std::uint64_t at, std::uint64_t word) {
        if (word) seen.insert(seen.end(), {at, word});
    });
    EXPECT_EQ(seen, (std::vector<std::uint64_t>{0x3000, 7, 0x4ff8, 9}));
    unsigned words = 0;
    memory.for_each_word(0x3001, 0x3017, [&](std::uint64_t, std::uint64_t) { ++words; });
    EXPECT_EQ(words, 1u) << "whole ones only";
}

}  // namespace
}  // namespace lantern
