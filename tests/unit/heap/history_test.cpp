// What the library in front of the allocator has written down, and the margins that it leaves.
#include "core/heap/history.h"

#include <gtest/gtest.h>

#include "core/heap/margins.h"
#include "core/session/heap_asked.h"
#include "tests/testing/driven.h"
#include "tests/testing/made_up_target.h"

namespace lantern {
namespace {

using heap_tables::Asked;
using heap_tables::Block;
using heap_tables::State;

Block block_at(std::uint64_t address, std::uint64_t size, State state = State::live) {
    Block block{};
    block.address = address;
    block.size = size;
    block.state = state;
    block.number = 7;
    block.check = heap_tables::check_of(block);
    return block;
}

TEST(HeapHistory, ABlockIsNearByItsEndOrItsBeginning) {
    std::vector<Block> blocks{block_at(0x1010, 24), block_at(0x1050, 0), block_at(0x1100, 16)};
    auto near = [&](std::uint64_t address, std::uint64_t reach = 64) {
        return near_block(blocks, RunAddress(address), reach);
    };
    EXPECT_EQ(near(0x1010)->side, NearBlock::Side::inside);
    EXPECT_EQ(near(0x1027)->distance, 23u);
    EXPECT_EQ(near(0x1028)->side, NearBlock::Side::behind);
    EXPECT_EQ(near(0x1028)->distance, 0u);
    EXPECT_EQ(near(0x100d)->side, NearBlock::Side::before);
    EXPECT_EQ(near(0x100d)->distance, 3u);
    EXPECT_EQ(near(0x1050)->side, NearBlock::Side::behind);  // of no bytes: nothing is inside
    EXPECT_EQ(near(0x1050)->block.address, 0x1050u);
    EXPECT_EQ(near(0x10f8)->block.address, 0x1100u);
    EXPECT_FALSE(near(0x2000));
    EXPECT_FALSE(near(0x10a0, 8));
}

TEST(HeapHistory, ARecordThatWasWrittenOverIsNone) {
    Block block = block_at(0x1010, 24);
    EXPECT_EQ(block.check, heap_tables::check_of(block));
    for (auto change : {+[](Block& each) { each.size ^= 1; }, +[](Block& each) { ++each.number; },
                        +[](Block& each) { each.address += 16; }}) {
        Block other = block;
        change(other);
        EXPECT_NE(other.check, heap_tables::check_of(other));
    }
}

class MarginsOf : public ::testing::Test {
  protected:
    MarginsOf() : target_(0x1000, 0x1000) { fill(0x1000, 0x1000, heap_tables::kMarginFill); }
    void fill(std::uint64_t address, std::size_t count, unsigned char what) {
        std::fill_n(target_.memory.begin() + static_cast<std::ptrdiff_t>(address - 0x1000), count,
                    std::byte{what});
    }
    std::vector<HeapDamage> damage(std::vector<Block> blocks) {
        Heap heap;
        find_written_margins(target_, blocks, heap);
        return heap.damage;
    }
    testing::MadeUpTarget target_;
};

TEST_F(MarginsOf, WholeOnesAreNotTold) {
    fill(0x1010, 24, 'x');
    fill(0x1050, 16, heap_tables::kDeathFill);
    EXPECT_TRUE(damage({block_at(0x1010, 24), block_at(0x1050, 16, State::kept)}).empty());
}

TEST_F(MarginsOf, WhatWasWrittenIsToldWithItsBlock) {
    fill(0x1010, 25, 'x');  // one too many
    fill(0x104e, 2, 'y');   // before the second
    fill(0x1080, 16, heap_tables::kDeathFill);
    fill(0x1084, 3, 'z');  // in the freed one
    auto found =
        damage({block_at(0x1010, 24), block_at(0x1050, 8), block_at(0x1080, 16, State::kept)});
    ASSERT_EQ(found.size(), 3u);
    EXPECT_EQ(found[0].what, "1 byte is written behind the end of the block of 24 bytes at 0x1010");
    EXPECT_EQ(found[0].at.value, 0x1028u);
    EXPECT_EQ(found[1].what,
              "2 bytes are written before the start of the block of 8 bytes at 0x1050");
    EXPECT_EQ(found[2].what,
              "3 bytes are written into the block of 16 bytes at 0x1080 after it was freed");
    EXPECT_EQ(found[2].before->address, 0x1080u);
}

TEST_F(MarginsOf, WhatCannotBeReadIsNotJudged) {
    EXPECT_TRUE(damage({block_at(0x8000, 24), block_at(0x1ff0, 64)}).empty());
}

TEST(HeapAsked, IsReadWordByWord) {
    EXPECT_FALSE(asked_of(""));
    auto born = asked_of("born number 7");
    ASSERT_TRUE(born);
    Block seventh = block_at(0x1010, 24);
    EXPECT_TRUE(heap_tables::is_asked(*born, seventh, false));
    EXPECT_FALSE(heap_tables::is_asked(*born, seventh, true));
    seventh.number = 8;
    EXPECT_FALSE(heap_tables::is_asked(*born, seventh, false));
    auto freed = asked_of("freed of size 16..24");
    EXPECT_TRUE(heap_tables::is_asked(*freed, block_at(0x1010, 24), true));
    EXPECT_FALSE(heap_tables::is_asked(*freed, block_at(0x1010, 25), true));
    EXPECT_TRUE(heap_tables::is_asked(*asked_of("size 9"), block_at(0x1010, 9), true));
    for (const char* wrong : {"sunk", "number x", "size 3..", "born number"})
        EXPECT_THROW(asked_of(wrong), RequestError) << wrong;
}

// In a program that the library is not in there is nothing to read.
TEST(HeapHistory, IsNotThereWithoutTheLibrary) {
    testing::TemporaryFolder folder;
    testing::Driven driven("heapkinds", (folder.path() / "out").string());
    driven.session.reach(driven.session.place("look_here"));
    EXPECT_FALSE(HeapHistory::in(driven.session.target()));
}

}  // namespace
}  // namespace lantern
