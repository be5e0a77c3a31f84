// heap and its views, typed at the built program, on a process and on a core of it.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

const std::string kHeap = fixture("heap");

Ran heap(const std::string& how, std::vector<std::string> commands) {
    commands.insert(commands.begin(), {"pause at look_here", "launch " + how});
    return debug(kHeap, commands, {"--stdout", "/dev/null"});
}

TEST(HeapCommand, TellsTotalsAndTheLargest) {
    Ran ran = heap("many 2", {"heap"});
    EXPECT_TRUE(ran.says("heap ─")) << ran.output;
    EXPECT_TRUE(ran.says("the C library 2.")) << ran.output;
    EXPECT_TRUE(ran.says("arena 1")) << ran.output;
    EXPECT_TRUE(ran.says("arena 2")) << ran.output;
    EXPECT_TRUE(ran.says("the largest in use")) << ran.output;
    EXPECT_FALSE(ran.says("damaged")) << ran.output;
}

TEST(HeapCommand, TellsWhatIsLostAndWhatKeepsABlock) {
    Ran ran = heap("leak",
                   {"heap leaks", "heap path kept_in_global", "heap blocks at kept_in_global->name",
                    "-heap path 1", "-heap dance", "-heap blocks size x"});
    EXPECT_TRUE(ran.says("15 blocks, 840 bytes")) << ran.output;
    EXPECT_TRUE(ran.says("5 × ")) << ran.output;
    EXPECT_TRUE(ran.says("1 block, 56 bytes of them are pointed to only from inside"))
        << ran.output;
    EXPECT_TRUE(ran.says("kept_in_global at 0x")) << ran.output;
    EXPECT_TRUE(ran.says("is byte 8 of the block at 0x")) << ran.output;
    EXPECT_TRUE(ran.says("0x1 is in no block of the heap")) << ran.output;
    EXPECT_TRUE(ran.says("heap does not know \"dance\"")) << ran.output;
    EXPECT_TRUE(ran.says("\"x\" is no number")) << ran.output;
}

TEST(HeapCommand, NamesTheBlockBeforeADamagedHeader) {
    Ran ran = heap("damage text", {"heap check", "heap"});
    EXPECT_TRUE(ran.says("which is no size of a block")) << ran.output;
    EXPECT_TRUE(ran.says("before it lies 0x")) << ran.output;
    EXPECT_TRUE(ran.says("over its end lies \"rty bytes")) << ran.output;
    EXPECT_TRUE(ran.says("heap check tells")) << ran.output;
}

TEST(HeapCommand, ReadsACoreAsItReadsTheProcess) {
    TemporaryFolder folder;
    std::string core = (folder.path() / "core").string();
    Ran live = heap("leak", {"heap leaks", "save core as " + core});
    Ran kept = run({LANTERN_PROGRAM, "postmortem", core, "--do", "heap leaks"});
    std::string lost = "lost   15 blocks, 840 bytes";
    EXPECT_TRUE(live.says(lost)) << live.output;
    EXPECT_TRUE(kept.says(lost)) << kept.output;
}

// The demo's three faults, each where it shows.
TEST(HeapCommand, ShowsWhatIsWrongOnTheWharf) {
    std::string wharf =
        std::string(DEMO_PROGRAM).substr(0, std::string(DEMO_PROGRAM).rfind('/')) + "/wharf";
    Ran ran = debug(wharf,
                    {"pause at close_of_day", "launch", "heap leaks", "heap types", "caller",
                     "heap blocks at wharf.berths_[1]", "heap check"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("lost   40 blocks, 2 240 bytes")) << ran.output;
    EXPECT_TRUE(ran.says("20 × canal::Bill")) << ran.output;
    EXPECT_TRUE(ran.says("canal::Barge, and by another pointer canal::Crate")) << ran.output;
    EXPECT_TRUE(ran.says("\n◆ 0x")) << "the one that was asked for";
    EXPECT_TRUE(ran.says("24 bytes  \"timber for the upper pound\"")) << ran.output;
}

TEST(HeapCommand, SaysThatThereIsNothingYet) {
    Ran ran = debug(kHeap, {"-heap"}, {});
    EXPECT_TRUE(ran.says("cannot do that")) << ran.output;
}

}  // namespace
}  // namespace lantern::testing
