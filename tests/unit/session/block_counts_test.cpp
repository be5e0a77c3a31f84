// What is counted of blocks and the ways between them, with calls that are begun anew and calls
// within calls.
#include "core/session/block_counts.h"

#include <gtest/gtest.h>

namespace lantern {
namespace {

constexpr RunAddress kEntry(0x100), kLoop(0x110), kEnd(0x120), kFrame(0x7000), kInner(0x6000);

class Counted : public ::testing::Test {
  protected:
    void come_to(RunAddress block, RunAddress frame = kFrame, ThreadId thread = 1) {
        counts_.add(block, thread, frame);
    }
    BlockCounts counts_;
};

TEST_F(Counted, BlocksAndTheWaysBetweenThem) {
    for (RunAddress block : {kEntry, kLoop, kLoop, kLoop, kEnd}) come_to(block);
    EXPECT_EQ(counts_.of_block(kEntry).all, 1u);
    EXPECT_EQ(counts_.of_block(kLoop).all, 3u);
    EXPECT_EQ(counts_.of_way(kEntry, kLoop).all, 1u);
    EXPECT_EQ(counts_.of_way(kLoop, kLoop).all, 2u);
    EXPECT_EQ(counts_.of_way(kLoop, kEnd).all, 1u);
    EXPECT_EQ(counts_.of_way(kEntry, kEnd).all, 0u);
}

TEST_F(Counted, ALoopMayGoBackToTheEntry) {
    for (RunAddress block : {kEntry, kLoop, kEntry, kLoop, kEnd, kEntry}) come_to(block);
    EXPECT_EQ(counts_.of_way(kLoop, kEntry).all, 1u);
    EXPECT_EQ(counts_.of_way(kEntry, kLoop).all, 2u);
    EXPECT_EQ(counts_.of_block(kEntry).all, 3u) << "once by another call";
}

TEST_F(Counted, CallsWithinCallsAndThreadsAreKeptApart) {
    come_to(kEntry);
    come_to(kLoop);
    come_to(kEntry, kInner);
    come_to(kEnd, kInner);
    come_to(kLoop, kFrame, 2);  // another thread's, by chance at the same place
    come_to(kEnd);
    EXPECT_EQ(counts_.of_way(kEnd, kEnd).all, 0u) << "from the inner call to the outer one";
    EXPECT_EQ(counts_.of_way(kLoop, kEnd).all, 1u);
    EXPECT_EQ(counts_.of_way(kEntry, kEnd).all, 1u);
    EXPECT_EQ(counts_.of_way(kEnd, kLoop).all, 0u);
}

TEST_F(Counted, WhatHasRunSinceTheStopBefore) {
    come_to(kEntry);
    counts_.stopped();
    EXPECT_EQ(counts_.of_block(kEntry).since_last_stop, 1u);
    come_to(kLoop);
    come_to(kLoop);
    counts_.stopped();
    EXPECT_EQ(counts_.of_block(kEntry).since_last_stop, 0u);
    EXPECT_EQ(counts_.of_block(kEntry).all, 1u);
    EXPECT_EQ(counts_.of_block(kLoop).since_last_stop, 2u);
    EXPECT_EQ(counts_.of_way(kLoop, kLoop).since_last_stop, 1u);
    EXPECT_EQ(counts_.of_way(kEntry, kLoop).since_last_stop, 1u);
}

}  // namespace
}  // namespace lantern
