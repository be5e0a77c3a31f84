// The five scripts of the canal find the five faults.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

Ran play(const std::string& script) {
    return run({LANTERN_PROGRAM, "debug", DEMO_PROGRAM, "--stdin", SOURCE_FOLDER "/demo/day-sheet.txt", "--stdout", "/dev/null", "--script",
                std::string(SOURCE_FOLDER "/demo/") + script + ".lantern"});
}

TEST(Demo, FindsTheWholeNumberDivision) {
    Ran ran = play("fraction");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("barge->draught_cm / chamber->depth_cm = 0  int"));
    EXPECT_TRUE(ran.says("(double)barge->draught_cm / chamber->depth_cm = 0.40625  double"));
    EXPECT_TRUE(ran.says("toll = 20.625")) << "12.5 + 20 × 130 / 320";
}

TEST(Demo, FindsTheLevelThatIsNeverSet) {
    Ran ran = play("unset-level");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("\"Kingfisher\\n\\0\""));
    EXPECT_TRUE(ran.says("not set yet: nothing on the way here assigns it"));
    EXPECT_TRUE(ran.says("perhaps not set: only some of the ways here assign it"));
    EXPECT_FALSE(ran.says("change_cm    (not set) →")) << "nothing was assigned, so nothing changed";
}

TEST(Demo, FindsTheLineEndingInTheName) {
    Ran ran = play("line-ending");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("barge->name = \"Heron\\n\\0\""));
    EXPECT_TRUE(ran.says("@2 barge->name == \"Heron\" = 0"));
    EXPECT_TRUE(ran.says("@4 barge->name == \"Heron\" = 1"));
}

TEST(Demo, FindsTheLoopThatCountsTheWrongWay) {
    Ran ran = play("wrong-way");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("ahead  1 → 2"));
    EXPECT_TRUE(ran.says("returned  144 from wait_minutes"));
}

TEST(Demo, FindsTheIndexOnePastTheEnd) {
    Ran ran = play("one-past");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("lock = 4"));
    EXPECT_TRUE(ran.says("barges    65"));
}

}  // namespace
}  // namespace lantern::testing
