// C++ and Rust as far as this version goes: names, lines, stacks, steps, plain values.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class Cplusplus : public ::testing::TestWithParam<const char*> {};

TEST_P(Cplusplus, NamesScopesMembersAndVirtualCalls) {
    Ran ran = debug(
        fixture(GetParam()),
        {"pause at pass", "launch", "locals", "value barge.draught", "value way == up", "into",
         "value this->draught", "value base", "stack", "out", "out", "value canal::Barge::count",
         "find functions deepest", "over", "value toll", "over 3", "value toll"},
        {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("breakpoint 1 ─ canal::pass"));
    EXPECT_TRUE(ran.says("const canal::Barge &"));
    EXPECT_TRUE(ran.says("barge.draught = 130"));
    EXPECT_TRUE(ran.says("up (0)"));
    EXPECT_TRUE(ran.says("step done ─ canal::Narrow::toll"))
        << "through the table of virtual functions";
    EXPECT_TRUE(ran.says("returned  140 from canal::Narrow::toll"));
    EXPECT_TRUE(ran.says("begun; the rest is next"));
    EXPECT_TRUE(ran.says("canal::Barge::count = 3"));
    EXPECT_TRUE(ran.says("canal::deepest<int>"));
    EXPECT_TRUE(ran.says("toll = 140"));
    EXPECT_TRUE(ran.says("toll = 141")) << "the exception did not lose the step\n" << ran.output;
}

TEST_P(Cplusplus, AFunctionByAnyTailOfItsName) {
    for (const char* name : {"toll", "Narrow::toll", "canal::Narrow::toll"}) {
        Ran ran = debug(fixture(GetParam()), {std::string("pause at ") + name, "launch", "stack"},
                        {"--stdout", "/dev/null"});
        EXPECT_EQ(ran.status, 0) << ran.output;
        EXPECT_TRUE(ran.says("─ canal::Narrow::toll")) << ran.output;
    }
    Ran both = debug(fixture(GetParam()), {"pause at toll"});
    EXPECT_TRUE(both.says("in canal::Barge::toll") && both.says("in canal::Narrow::toll"))
        << both.output;
}

INSTANTIATE_TEST_SUITE_P(Versions, Cplusplus, ::testing::Values("barges-dwarf4", "barges-dwarf5"));

TEST(Rust, NamesReferencesAndEnumerations) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    Ran ran =
        debug(fixture("barges-rust"),
              {"pause at toll", "launch", "value barge.draught", "value base", "locals", "over 2",
               "value extra", "out", "continue", "value base", "drop all", "continue"},
              {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("barge.draught = 130"));
    EXPECT_TRUE(ran.says("base = 7"));
    EXPECT_TRUE(ran.says("Up (0)")) << ran.output;
    EXPECT_TRUE(ran.says("extra = 14")) << ran.output;
    EXPECT_TRUE(ran.says("returned  144 from barges::toll")) << ran.output;
    EXPECT_TRUE(ran.says("exit status 0"));
}

TEST(Stack, GoesThroughASignalHandler) {
    Ran ran = debug(fixture("frames-gcc"),
                    {"pause at innermost", "launch", "stack", "out", "caller", "continue"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    for (const char* part : {"0  innermost", "number = 10", "1  on_signal", "the frame of a signal",
                             "  middle", "  outer", "  main"})
        EXPECT_TRUE(ran.says(part)) << part << ran.output;
}

TEST(Stack, WithoutCallFrameInformationTheFramePointerLeadsOnAndSaysSo) {
    Ran ran =
        debug(fixture("frames-only"), {"pause at innermost", "launch", "over insn 4", "stack"},
              {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("1  on_signal")) << ran.output;
    EXPECT_TRUE(ran.says("found by the frame pointer: likely")) << ran.output;
}

}  // namespace
}  // namespace lantern::testing
