// Rust's async functions: where they begin, what they keep while they wait, and what a task is at.
// The program itself prints what it has at each place.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class Async : public ::testing::Test {
  protected:
    void SetUp() override {
        if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    }
    static Ran waits(const std::vector<std::string>& commands) {
        return debug(fixture("waits-rs"), commands);
    }
};

// Not where the task is made, nor at each poll: once for each, at its first line.
TEST_F(Async, BeginsInTheBody) {
    Ran ran = waits(
        {"pause at moor", "launch", "locals", "continue", "locals", "continue", "breakpoints"});
    EXPECT_TRUE(ran.says("waits.rs:37  in waits::moor::{async_fn#0}")) << ran.output;
    for (const char* line : {"name     \"Teal\"", "draught  1 ", "turns    0 ",
                             "name     \"Heron\"", "draught  2 ", "turns    3 "})
        EXPECT_TRUE(ran.says(line)) << line << ran.output;
    EXPECT_TRUE(ran.says("2 hits")) << ran.output;
    EXPECT_FALSE(ran.says("_task_context")) << ran.output;
    EXPECT_FALSE(ran.says("hidden by")) << ran.output;
}

TEST_F(Async, OfAMethodOrOneTypeBeginsThereToo) {
    EXPECT_TRUE(
        waits({"pause at Lock::unload"}).says("waits.rs:52  in waits::Lock::unload::{async"));
    EXPECT_TRUE(waits({"pause at twice"}).says("waits.rs:65  in waits::twice::{async_fn#0}<u32>"));
    Ran ran = waits(
        {"pause at one_line", "launch", "value n", "pause at at_once", "continue", "value n"});
    EXPECT_TRUE(ran.says("@1 n = 4 ")) << ran.output;
    EXPECT_TRUE(ran.says("waits.rs:71")) << ran.output;
    EXPECT_TRUE(ran.says("@2 n = 4 ")) << ran.output;
}

// Nothing is left of what makes the task; the user's code is all in the body.
TEST_F(Async, IsFoundByItsNameWhereItsMakerIsGone) {
    Ran ran = debug(fixture("waits-rs-O"),
                    {"pause at moor", "launch", "continue", "continue", "breakpoints"});
    EXPECT_TRUE(ran.says("waits.rs:37  in waits::moor::{async_fn#0}")) << ran.output;
    EXPECT_TRUE(ran.says("2 hits")) << ran.output;
    EXPECT_TRUE(ran.says("ended, exit status 0")) << ran.output;
}

// Heron waits three times: what nothing uses afterwards was on a stack that has been used since.
// Teal goes through without a wait, and has it all.
TEST_F(Async, HasNoValueForWhatWasNotKept) {
    Ran ran = waits({"pause at waits.rs:33", "pause at waits.rs:42", "launch", "locals", "continue",
                     "locals", "continue", "locals", "continue", "locals"});
    EXPECT_TRUE(ran.says("Teal risen 7 before 0")) << ran.output;
    EXPECT_TRUE(ran.says("Heron risen 7 before 30")) << ran.output;
    EXPECT_TRUE(ran.says("Heron at 37")) << ran.output;
    std::size_t teal = ran.output.find("  before  0 "),
                teal_done = ran.output.find("  depth    14 "),
                heron = ran.output.find("  before  30 "),
                heron_done = ran.output.find("  depth    74 ");
    ASSERT_NE(heron_done, ran.output.npos) << ran.output;
    EXPECT_TRUE(teal < teal_done && teal_done < heron && heron < heron_done) << ran.output;
    EXPECT_NE(ran.output.find("  turns   0 "), ran.output.npos) << ran.output;
    EXPECT_NE(ran.output.find("  draught  1 "), ran.output.npos) << ran.output;
    EXPECT_TRUE(
        ran.says("turns   no value: it was not kept while the function waited at line 31: "
                 "nothing uses it after that"))
        << ran.output;
    EXPECT_TRUE(ran.says("draught  no value: it was not kept while the function waited at line 39"))
        << ran.output;
    Ran computed = waits({"pause at waits.rs:33", "launch", "continue", "value turns + 1"});
    EXPECT_TRUE(computed.says("there is no value: it was not kept")) << computed.output;
}

// In a loop that waits only every second time.
TEST_F(Async, KeepsWhatALoopNeeds) {
    Ran ran = waits({"pause at waits.rs:60", "launch", "value steps", "value self.load"});
    EXPECT_TRUE(ran.says("@1 steps = 7 ")) << ran.output;  // 50 - 6 * 7 = 8 > 7, once more
    EXPECT_TRUE(ran.says("@2 self.load = 1 ")) << ran.output;
}

TEST_F(Async, ATaskSaysWhatItIsAt) {
    Ran ran = waits({"pause at waits.rs:89", "launch", "value task", "drop 1",
                     "pause at waits.rs:94", "continue", "value task", "continue", "value task",
                     "pause at waits.rs:92", "continue", "value task"});
    // Of the block; then what it waits for, each of its variables once.
    EXPECT_TRUE(ran.says("not begun  waits::main::{async_block_env#0}")) << ran.output;
    EXPECT_TRUE(ran.says("waits at line 108  waits::main")) << ran.output;
    EXPECT_TRUE(ran.says("waits at line 66  waits::twice")) << ran.output;
    std::size_t thing = ran.output.find("thing      5 ");
    ASSERT_NE(thing, ran.output.npos) << ran.output;
    EXPECT_EQ(ran.output.find("thing  ", thing + 1), ran.output.npos) << ran.output;
    EXPECT_TRUE(ran.says("waits at line 57  waits::{impl#1}::unload")) << ran.output;
    EXPECT_TRUE(ran.says("waits::moor::{async_fn_env#0}) → has ended")) << ran.output;
    EXPECT_FALSE(ran.says("Suspend")) << ran.output;
}

TEST_F(Async, WhatMakesATaskReturnsOneThatIsNotBegun) {
    Ran ran = waits({"pause at waits.rs:102", "launch", "over"});
    EXPECT_TRUE(
        ran.says("waits::moor returned not begun {name = \"Heron\", draught = 2, turns = 3}"))
        << ran.output;
}

// However often it is polled in between: the next line of the same task.
TEST_F(Async, AStepOverAWaitEndsBehindIt) {
    Ran ran = waits({"pause at moor", "launch", "continue", "over", "over", "over", "value level",
                     "value name", "over", "breakpoints"});
    EXPECT_TRUE(ran.says("◆ 39 ")) << ran.output;
    EXPECT_TRUE(ran.says("◆ 40 ")) << ran.output;
    EXPECT_TRUE(ran.says("@1 level = 37 ")) << ran.output;
    EXPECT_TRUE(ran.says("@2 name = \"Heron\"")) << ran.output;
    EXPECT_TRUE(ran.says("Heron at 37")) << ran.output;
}

TEST_F(Async, AStepOverAWaitStopsAtABreakpointOnTheWay) {
    Ran ran = waits({"pause at waits.rs:31 when turns == 3", "launch", "pause at waits.rs:89",
                     "over", "drop 2", "over", "over"});
    EXPECT_TRUE(ran.says("breakpoint 2 ─ waits::ring")) << ran.output;
}

TEST_F(Async, AStepOverAWaitEndsWhereTheTaskIsDropped) {
    Ran ran = waits({"pause at waits.rs:31 when turns == 5", "launch", "over"});
    EXPECT_TRUE(ran.says("◆ 121 ")) << ran.output;
    EXPECT_FALSE(ran.says("given up true")) << ran.output;
}

// A breakpoint on a line that waits is met once, and not each time it is polled.
TEST_F(Async, ALineThatWaitsIsMetOnce) {
    Ran ran = waits({"pause at waits.rs:39", "pause at waits.rs:57", "launch", "continue",
                     "continue", "continue", "continue", "continue", "breakpoints"});
    EXPECT_TRUE(ran.says("waits.rs:39               2 hits")) << ran.output;
    EXPECT_TRUE(ran.says("waits.rs:57               3 hits")) << ran.output;
    EXPECT_FALSE(ran.says("drop_in_place")) << ran.output;
    EXPECT_TRUE(ran.says("ended, exit status 0")) << ran.output;
}

TEST_F(Async, AStepIntoABodyThatHasWaitedIsAtTheLineItWaitedIn) {
    Ran ran = waits({"pause at waits.rs:94", "launch", "continue", "continue", "drop 1",
                     "pause at waits.rs:90", "continue", "into", "into"});
    EXPECT_TRUE(ran.says("◆ 108 ")) << ran.output;
    EXPECT_TRUE(ran.says("step done ─ waits::twice::{async_fn#0}<u32>")) << ran.output;
    EXPECT_TRUE(ran.says("◆ 66 ")) << ran.output;
}

}  // namespace
}  // namespace lantern::testing
