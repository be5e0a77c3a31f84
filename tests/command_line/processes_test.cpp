// Several processes in one session: they go on and stand together, and each meets what was set.
#include <gtest/gtest.h>

#include <regex>

#include "tests/testing/command.h"
#include "tests/testing/piped_debugger.h"
#include "tests/testing/terminal.h"

namespace lantern::testing {
namespace {

const std::string kFamily = fixture("family");

std::size_t times(const std::string& text, const std::string& what) {
    std::size_t count = 0;
    for (std::size_t at = text.find(what); at != std::string::npos;
         at = text.find(what, at + what.size()))
        ++count;
    return count;
}

Ran family(std::vector<std::string> commands) {
    commands.insert(commands.begin(), "follow both");
    return debug(kFamily, commands);
}

// What the program itself prints says that nothing of ours got into it: the ends of its children,
// and its sum.
TEST(Processes, AllMeetABreakpointThatIsCountedOnce) {
    for (int i = 0; i < 5; ++i) {
        TemporaryFolder folder;
        std::string csv = (folder.path() / "notes.csv").string();
        Ran ran = family({"note at work who limit 100000", "launch many 5 200", "breakpoints",
                          "save notes as " + csv});
        std::map<std::string, int>
            rows;  // by process; the parent calls it with 0, the nth child with n
        for (const std::string& line : lines_of(folder.read("notes.csv")))
            if (std::smatch found;
                std::regex_match(line, found, std::regex("[0-9.]+,([0-9]+),1,1,[0-9]+,([0-9]+)"))) {
                ++rows[found[1]];
                EXPECT_EQ(std::stoi(found[1]), std::stoi(found[2]) + 1) << line;
            }
        EXPECT_EQ(rows,
                  (std::map<std::string, int>{
                      {"1", 200}, {"2", 200}, {"3", 200}, {"4", 200}, {"5", 200}, {"6", 200}}));
        EXPECT_TRUE(ran.says("sum 15 total 19900")) << ran.output;
        EXPECT_TRUE(ran.says("1 200 notes")) << ran.output;
        EXPECT_EQ(times(ran.output, " has begun: "), 5u) << ran.output;
        EXPECT_TRUE(ran.says("the program has ended, exit status 0") ||
                    ran.says("process 1 has ended, exit status 0"))
            << ran.output;
    }
}

TEST(Processes, WhatOneStopsForStopsAllAndIsToldWithItsNumber) {
    Ran ran = family({"pause at work", "launch deep", "continue", "continue", "processes",
                      "off all", "process 1", "stack", "continue"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("family.c:11 ─ process 2 ──")) << ran.output;
    EXPECT_TRUE(ran.says("family.c:11 ─ process 3 ──")) << ran.output;
    EXPECT_TRUE(ran.says("3 processes ──")) << ran.output;
    EXPECT_EQ(times(ran.output, "  stands"), 2u) << ran.output;
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("has ended, exit status 1\n")))
        << "the youngest: " << ran.output;
    EXPECT_TRUE(ran.says("exit status 10")) << ran.output;
}

TEST(Processes, ThatAreHeldAgainAndAgainMissNothing) {
    std::vector<std::string> commands = {"note at work who limit 100000", "pause at mark",
                                         "launch marks"};
    for (int i = 0; i < 50; ++i) commands.push_back(i % 3 ? "continue" : "over");
    commands.insert(commands.end(),
                    {"off 2", "-continue", "-continue", "-continue", "-continue", "breakpoints"});
    Ran ran = family(commands);
    EXPECT_TRUE(ran.says("sum 6\n")) << ran.output;
    EXPECT_TRUE(ran.says("6 000 notes")) << ran.output;
}

TEST(Processes, ThatOneBecomesAnotherProgramIsToldInPassing) {
    Ran ran = family({"pause at main", "launch becomes", "continue"});
    EXPECT_TRUE(ran.says("has become /")) << ran.output;
    EXPECT_TRUE(ran.says("end 0\n")) << ran.output;
    EXPECT_TRUE(ran.says("the program has ended, exit status 0")) << ran.output;
}

// The parent reads what the child writes: a step over the reading needs both.
TEST(Processes, AStepOfOneLetsTheOthersGoOn) {
    Ran ran = family({"pause at family.c:58", "launch talk", "over", "continue"});
    EXPECT_TRUE(ran.says("read returned 1")) << ran.output;
    EXPECT_TRUE(ran.says("letter  0 '\\0' → 119 'w'")) << ran.output;
    EXPECT_TRUE(ran.says("got 1 w, end 3")) << ran.output;
    EXPECT_EQ(ran.status, 0) << ran.output;
}

TEST(Processes, ACrashOfOneIsShownWhereItIs) {
    Ran ran = family({"launch crash", "locals", "continue", "-continue"});
    EXPECT_TRUE(ran.says("stopped by SIGSEGV ─ crash")) << ran.output;
    EXPECT_TRUE(ran.says("─ process 2 ──")) << ran.output;
    EXPECT_TRUE(ran.says(" was ended by SIGSEGV")) << ran.output;
    EXPECT_TRUE(ran.says("end 111")) << "its parent was told of it: " << ran.output;
    EXPECT_TRUE(ran.says(" has ended, exit status 0")) << ran.output;
}

TEST(Processes, AWatchpointIsInTheChildToo) {
    Ran ran = family({"pause on write total when total == 860", "launch many 2 60", "value total",
                      "processes", "off 1", "continue", "-continue", "-continue"});
    // Only the second child passes through it: 0 + 1 + … + 39 and 40 times 2.
    EXPECT_TRUE(ran.says("wrote     total  819 → 860")) << ran.output;
    EXPECT_TRUE(ran.says("─ process 3 ──")) << ran.output;
    EXPECT_TRUE(ran.says("sum 3 total 1770")) << ran.output;
}

// It is set where the child is looked at, and met while its parent is: its number is nobody else's,
// and it ends with its one hit.
TEST(Processes, AWatchpointOfOneProcessIsMetWhileAnotherIsLookedAt) {
    Ran ran =
        family({"pause at work when who == 2 once", "launch many 2 60",
                "pause on write total when total == 860 once", "process 1", "pause at ends_of",
                "continue", "-continue", "-continue", "-continue", "-continue"});
    EXPECT_TRUE(ran.says("watchpoint 2")) << ran.output;
    EXPECT_TRUE(ran.says("wrote     total  819 → 860")) << ran.output;
    EXPECT_TRUE(ran.says("▪3 breakpoint 3")) << ran.output;
    EXPECT_FALSE(ran.says("trouble")) << ran.output;
    EXPECT_TRUE(ran.says("sum 3 total 1770")) << ran.output;
}

TEST(Processes, WhatStopsOnceStopsInOneOfThem) {
    Ran ran = family({"pause at work once", "launch many 3 10", "-continue", "-continue",
                      "-continue", "-continue"});
    EXPECT_EQ(times(ran.output, "breakpoint 1 ─ work"), 1u) << ran.output;
    EXPECT_TRUE(ran.says("sum 6 total 45")) << ran.output;
}

TEST(Processes, OneThreadAloneMovesNoOtherProcess) {
    Ran ran = family({"pause at work", "launch deep", "continue", "over alone", "over alone",
                      "processes", "release"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("2 processes ──")) << "the grandchild is not born yet: " << ran.output;
}

TEST(Processes, AreAllLetGoByRelease) {
    TemporaryFolder folder;
    std::string out = (folder.path() / "out").string();
    Ran ran =
        debug(kFamily, {"follow both", "pause at work", "launch many 3 10", "continue", "release"},
              {"--stdout", out});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_EQ(folder.read_with("out", "\n"), "sum 6 total 45\n");
}

TEST(Processes, OneThatIsKilledFromOutsideWhileItStandsIsNotWaitedFor) {
    PipedDebugger debugger("debug", kFamily, "follow both\npause at work\nlaunch deep\ncontinue\n");
    std::string got = debugger.read_until("─ process 2 ──");
    std::smatch parent;
    ASSERT_TRUE(std::regex_search(got, parent, std::regex(R"(forked by process 1 \(([0-9]+)\))")))
        << got;
    kill(std::stoi(parent[1].str()), SIGKILL);
    // It is known at once, or when it is to go on.
    debugger.type("-process 1\nprocesses\noff all\ncontinue\n-continue\n");
    got = debugger.read_until("exit status 10");
    EXPECT_TRUE(got.find("has been ended from outside") != std::string::npos ||
                got.find("process 1 was ended by SIGKILL") != std::string::npos)
        << got;
    debugger.type("quit\n");
    EXPECT_EQ(debugger.end_by(0), 0) << "it ends, and does not hang";
}

TEST(Processes, CtrlCPausesThemAllAndTheyGoOn) {
    Terminal terminal({LANTERN_PROGRAM, "debug", kFamily});
    ASSERT_TRUE(terminal.shows("› "));
    terminal.type("follow both\n");
    ASSERT_TRUE(terminal.shows("› "));
    terminal.type("launch spin 2\n");
    ASSERT_TRUE(terminal.shows("has begun"));
    ASSERT_TRUE(terminal.program_runs());
    terminal.type("\x03");
    ASSERT_TRUE(terminal.shows("paused"));
    terminal.type("processes\n");
    ASSERT_TRUE(terminal.shows("2 processes"));
    terminal.type("continue meanwhile\n");
    ASSERT_TRUE(terminal.program_runs());
    terminal.type("pause at work once\n");
    ASSERT_TRUE(terminal.shows("breakpoint 1 ─ work"));
    terminal.type("quit\n");
}

// Between two steps the program stands, and yet it is under way.
TEST(Meanwhile, AProgramThatIsSteppedRunsToo) {
    Terminal terminal({LANTERN_PROGRAM, "debug", kFamily});
    ASSERT_TRUE(terminal.shows("› "));
    terminal.type("pause at work once\n");
    terminal.type("launch spin\n");
    ASSERT_TRUE(terminal.shows("breakpoint 1 ─ work"));
    terminal.type("pause on write total by steps when total == -5\n");
    ASSERT_TRUE(terminal.shows("watchpoint 2"));
    terminal.type("continue meanwhile\n");
    ASSERT_TRUE(terminal.shows("running › "));
    terminal.type("stack\n");
    ASSERT_TRUE(terminal.shows("the program runs"));
    terminal.type("breakpoints\n");
    ASSERT_TRUE(terminal.shows("step by step"));
    terminal.type("pause\n");
    ASSERT_TRUE(terminal.shows("paused"));
    terminal.type("off 2\n");
    ASSERT_TRUE(terminal.shows("off"));
    terminal.type("stack\n");
    ASSERT_TRUE(terminal.shows("call stack"));
}

}  // namespace
}  // namespace lantern::testing
