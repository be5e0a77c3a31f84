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
                     "heap blocks at wharf.berths_[1]", "heap check", "heap blocks of Bill",
                     "-heap blocks of Lorry"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("lost   40 blocks, 2 240 bytes")) << ran.output;
    EXPECT_TRUE(ran.says("20 × canal::Bill")) << ran.output;
    EXPECT_TRUE(ran.says("canal::Barge, and by another pointer canal::Crate")) << ran.output;
    EXPECT_TRUE(ran.says("no block is known to hold \"Lorry\"")) << ran.output;
    EXPECT_TRUE(ran.says("\n◆ 0x")) << "the one that was asked for";
    EXPECT_TRUE(ran.says("24 bytes  \"timber for the upper pound\"")) << ran.output;
}

// A program of one thread takes no lock.
TEST(HeapCommand, SaysThatARequestIsUnderWay) {
    const std::string care = "a thread stands in the middle of a request";
    Ran ran =
        debug(kHeap,
              {"pause at main", "launch leak", "reach malloc", "heap check", "into insn",
               "into insn", "heap check", "out", "heap check", "reach look_here", "heap check"},
              {"--stdout", "/dev/null"});
    std::size_t first = ran.output.find(care);
    ASSERT_NE(first, std::string::npos) << ran.output;
    EXPECT_EQ(ran.output.find(care, first + 1), std::string::npos) << ran.output;
}

TEST(HeapCommand, TellsWhatGrew) {
    Ran ran = debug(kHeap,
                    {"pause at look_here", "launch grow", "heap keep one", "continue",
                     "heap keep two", "continue", "heap since one", "heap leaks", "-heap since x"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("is kept as one; heap since one tells what grew")) << ran.output;
    EXPECT_TRUE(ran.says("+560 bytes         +10 × struct link, now 15  each time more"))
        << ran.output;
    EXPECT_TRUE(ran.says("not lost, and each time more than at the time before")) << ran.output;
    EXPECT_TRUE(ran.says("no heap was kept as \"x\"")) << ran.output;
    EXPECT_TRUE(ran.says("there is one and two")) << ran.output;
}

TEST(HeapCommand, DrawsWhatKeepsABlock) {
    TemporaryFolder folder;
    std::string svg = (folder.path() / "way.svg").string(),
                png = (folder.path() / "way.png").string();
    Ran ran = heap("leak", {"save heap path kept_in_global->next->next as " + svg,
                            "save heap path kept_in_global as " + png, "-save heap types as " + svg,
                            "-save heap path kept_in_global as x.doc"});
    EXPECT_TRUE(ran.says("the way to the block is drawn in " + svg)) << ran.output;
    EXPECT_TRUE(folder.read("way.svg").find("<svg") != std::string::npos);
    EXPECT_TRUE(folder.read("way.png").starts_with("\x89PNG"));
    EXPECT_TRUE(ran.says("of the heap the way to a block is drawn")) << ran.output;
}

// Whose block a pointer leads to stands beside it.
TEST(HeapCommand, IsToldBesideEachPointer) {
    Ran ran = heap("leak", {"= kept_in_global", "caller", "= inside", "= kept_in_global->name + 48",
                            "memory kept_in_global count 2 as pointer"});
    EXPECT_TRUE(ran.says("(heap block of 56 bytes)")) << ran.output;
    EXPECT_TRUE(ran.says("byte 8 of a heap block of 56 bytes")) << ran.output;
    EXPECT_TRUE(ran.says("one past the end of a heap block of 56 bytes")) << ran.output;
    Ran freed = heap("damage cached", {"= near[2]", "= near[3]"});
    EXPECT_TRUE(freed.says("freed heap block of 40 bytes")) << freed.output;
}

TEST(HeapCommand, SaysThatThereIsNothingYet) {
    Ran ran = debug(kHeap, {"-heap"}, {});
    EXPECT_TRUE(ran.says("cannot do that")) << ran.output;
}

}  // namespace
}  // namespace lantern::testing
