// The five scripts of the canal find the five faults.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

Ran play(const std::string& script) {
    return run({LANTERN_PROGRAM, "debug", DEMO_PROGRAM, "--stdin",
                SOURCE_FOLDER "/demo/day-sheet.txt", "--stdout", "/dev/null", "--script",
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
    EXPECT_FALSE(ran.says("change_cm    (not set) →"))
        << "nothing was assigned, so nothing changed";
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

Ran play_gates(const std::string& script, const std::filesystem::path& folder = {}) {
    std::string program =
        std::string(DEMO_PROGRAM).substr(0, std::string(DEMO_PROGRAM).rfind('/')) + "/lockgates";
    return run({LANTERN_PROGRAM, "debug", program, "--stdout", "/dev/null", "--script",
                std::string(SOURCE_FOLDER "/demo/") + script + ".lantern"},
               "", folder);
}

TEST(Demo, FindsTheOneBargeInThousands) {
    Ran ran = play_gates("one-in-thousands");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("{number = 4711, draught_cm = ")) << ran.output;
    EXPECT_TRUE(ran.says("1 hit, passed "));
    EXPECT_TRUE(ran.says("work_chamber")) << "and who sent it";
}

TEST(Demo, FindsTheWrongHandOnTheTally) {
    Ran ran = play_gates("wrong-hand");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("wrote     tally.boats[1]  "));
    EXPECT_TRUE(ran.says("tally.boats[boat / 400 % 2] = 0;")) << "the line that did it";
    EXPECT_TRUE(ran.says("lower keeper"));
    EXPECT_TRUE(ran.says("boat = 400"));
}

TEST(Demo, DrawsTheDay) {
    TemporaryFolder folder;
    Ran ran = play_gates("level-of-a-day", folder.path());
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_EQ(lines_of(folder.read("upper-pound.csv")).size(), 145u)
        << "every ten minutes of a day, and the heading";
    EXPECT_NE(folder.read("upper-pound.svg").find("gates_open"), std::string::npos);
}

Ran play_on(const std::string& program, const std::string& script,
            const std::filesystem::path& folder) {
    std::string demo(DEMO_PROGRAM);
    return run({LANTERN_PROGRAM, "debug", demo.substr(0, demo.rfind('/') + 1) + program, "--stdout",
                "/dev/null", "--script", std::string(SOURCE_FOLDER "/demo/") + script + ".lantern"},
               "", folder);
}

TEST(Demo, DrawsTheStairFromWhichALockHasGone) {
    TemporaryFolder folder;
    Ran ran = play_on("lockstair", "stair", folder.path());
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("a chain of 5"));
    EXPECT_TRUE(ran.says("freed heap block of 56 bytes"));
    EXPECT_TRUE(ran.says("since before: 0 new, 1 changed, 4 gone")) << ran.output;
    EXPECT_NE(folder.read("depths.svg").find("1 not a number"), std::string::npos);
    EXPECT_NE(folder.read("stair-after.svg").find("freed heap block of 56 bytes"),
              std::string::npos);
    EXPECT_NE(folder.read("stair.html").find("<figure><svg"), std::string::npos);
}

TEST(Demo, FindsTheTelegramThatRanOverItsFrame) {
    TemporaryFolder folder;
    Ran ran = play_on("sluicewire", "overrun", folder.path());
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says(
        "it could not return: its return address has been overwritten with the text \"RISINGFA\""));
    EXPECT_TRUE(ran.says("leads nowhere: the stack is damaged"));
    EXPECT_TRUE(ran.says("word[0 to 7]         \"OPENTHEU\"") || ran.says("\"OPENTHEU\""));
    EXPECT_TRUE(ran.says("the return address follows a call of opening_of: agrees"))
        << "before it happens";
    EXPECT_TRUE(folder.read("frame.svg").starts_with("<svg"));
    EXPECT_EQ(folder.read("frame.png").substr(1, 3), "PNG");
    // And what was saved is looked into afterwards.
    Ran after = run({LANTERN_PROGRAM, "postmortem", "sluicewire.core", "--script",
                     SOURCE_FOLDER "/demo/overrun-core.lantern"},
                    "", folder.path());
    EXPECT_EQ(after.status, 0) << after.output;
    EXPECT_TRUE(after.says("opening_of"));
    EXPECT_TRUE(after.says("RISINGFA"));
}

TEST(Demo, ShowsWhatBecameOfEachLine) {
    TemporaryFolder folder;
    Ran ran = play_on("sluicewire-fast", "jumps-about", folder.path());
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("inlined: nearest_opening"));
    EXPECT_TRUE(ran.says("block 2 of")) << "a line in several stretches";
    EXPECT_TRUE(ran.says("instructions of each line"));
}

}  // namespace
}  // namespace lantern::testing
