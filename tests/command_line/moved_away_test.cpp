// Variables of Rust that were moved away are told as that; those that are here are not. The program
// says at the lines where it prints which those are.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class MovedAway : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    }
    // What "locals" tells of the variable where that line is about to run.
    static std::string told(const std::string& line, const std::string& variable) {
        std::string output =
            debug(fixture(GetParam()), {"pause at moved.rs:" + line, "launch", "locals"}).output;
        for (const std::string& each : lines_of(output))
            if (each.starts_with("  " + variable + " ")) return each;
        return "";
    }
    static bool is_moved(const std::string& line, const std::string& variable,
                         const std::string& since) {
        return told(line, variable).find("moved away at line " + since + ":") != std::string::npos;
    }
    static bool has_value(const std::string& line, const std::string& variable) {
        std::string told_there = told(line, variable);
        return !told_there.empty() && told_there.find("no value") == std::string::npos;
    }
};

// Optimised, a variable that is gone has no value most often.
TEST_P(MovedAway, IsToldBehindTheMove) {
    const char* moves[][3] = {{"30", "barge", "29"}, {"41", "barge", "40"},   {"41", "fleet", "37"},
                              {"47", "first", "45"}, {"47", "kept", "46"},    {"47", "lead", "46"},
                              {"56", "copy", "54"},  {"56", "lengths", "53"}, {"51", "used", ""}};
    for (const auto& [line, variable, since] : moves) {
        if (!*since) {
            EXPECT_EQ(told(line, variable).find("moved away"), std::string::npos);
            continue;
        }
        EXPECT_TRUE(is_moved(line, variable, since) || !has_value(line, variable))
            << line << ": " << told(line, variable);
    }
}

TEST_P(MovedAway, IsNotToldBefore) {
    const char* here[][2] = {{"29", "barge"}, {"35", "lead"},  {"35", "first"},
                             {"35", "kept"},  {"35", "fleet"}, {"46", "kept"},
                             {"51", "rope"},  {"56", "total"}, {"40", "barge"}};
    for (const auto& [line, variable] : here)
        EXPECT_EQ(told(line, variable).find("moved away"), std::string::npos)
            << line << ": " << told(line, variable);
}

TEST_P(MovedAway, ItsBytesAreNoChange) {
    std::string output =
        debug(fixture(GetParam()), {"pause at moved.rs:43", "launch", "continue", "continue"})
            .output;
    EXPECT_NE(output.find("changed"), std::string::npos) << output;
    for (const std::string& line : lines_of(output)) {
        bool tells_of_fleet = line.find("fleet") != std::string::npos;
        EXPECT_FALSE(tells_of_fleet && line.find(" → ") != std::string::npos) << line;
    }
}

INSTANTIATE_TEST_SUITE_P(Builds, MovedAway, ::testing::Values("moved-rs", "moved-rs-O"));

// What a loop takes over is gone when another turn begins, and at the brace that ends a turn; not
// where the loop begins. What it takes the next one from is here at each turn.
class MovedByLoop : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    }
};

TEST_P(MovedByLoop, IsGoneFromTheFirstTurnOn) {
    std::string head = place_of_text("lading.rs", "for each in crates");
    std::vector<std::string> commands{"pause at " + head, "launch", "locals", "drop 1"};
    for (int step = 0; step < 5; ++step) commands.insert(commands.end(), {"over", "locals"});
    Ran ran = debug(fixture(GetParam()), commands);
    std::vector<bool> gone;
    for (const std::string& line : lines_of(ran.output)) {
        if (line.starts_with("  crates "))
            gone.push_back(line.find("moved away at line 18") != line.npos);
        bool is_iterator = line.starts_with("  iter ");
        EXPECT_FALSE(is_iterator && line.find("perhaps") != line.npos) << line;
    }
    EXPECT_EQ(gone, (std::vector<bool>{false, true, true, true, true, true})) << ran.output;
}

// The loop keeps in registers how far it has come; nothing has damaged the list.
TEST(MovedByLoopOptimised, WhatMemorySaysOfTheIteratorIsDoubted) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    std::string place = place_of_text("lading.rs", "if name.len() < 5");
    Ran ran = debug(fixture("lading-rs-O"), {"pause at " + place, "launch", "locals"});
    for (const std::string& line : lines_of(ran.output))
        if (line.starts_with("  iter ") && line.find("broken") != line.npos) {
            EXPECT_NE(line.find("likely not what the program has"), line.npos) << line;
        }
    EXPECT_TRUE(ran.says("  iter ")) << ran.output;
}

// A `continue` leads to the same brace past the move.
TEST_P(MovedByLoop, IsNotGoneWhereAnotherWayLeadsToTheBrace) {
    std::string skip = place_of_text("lading.rs", "if name.len() < 5");
    Ran ran = debug(fixture(GetParam()),
                    {"pause at " + skip, "launch", "locals", "over", "locals", "over", "locals"});
    unsigned seen = 0;
    for (const std::string& line : lines_of(ran.output)) {
        bool is_list = line.starts_with("  names ");
        if (!line.starts_with("  label ") && !is_list) continue;
        ++seen;
        bool is_gone = line.find("moved away") != line.npos || line.find("no value") != line.npos;
        EXPECT_TRUE(is_list ? is_gone : line.find("moved away") == line.npos) << ran.output;
    }
    EXPECT_GE(seen, 2u) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Builds, MovedByLoop, ::testing::Values("lading-rs", "lading-rs-O"));

// Without optimisation each of them still lies in its place: there it must be told.
TEST(MovedAwayForSure, InAPlainBuild) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    std::string output =
        debug(fixture("moved-rs"), {"pause at moved.rs:47", "launch", "locals"}).output;
    unsigned moved = 0;
    for (const std::string& line : lines_of(output))
        moved += line.find("moved away at line 4") != std::string::npos;
    EXPECT_EQ(moved, 3u) << output;
}

}  // namespace
}  // namespace lantern::testing
