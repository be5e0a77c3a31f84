// Behind a call that never comes back stands code of other lines: no way leads there from it, and
// nothing that is set before is doubted for it.
#include <gtest/gtest.h>

#include <algorithm>
#include <set>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class Adrift : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && std::string(GetParam()).starts_with("clang"))
            GTEST_SKIP() << "clang is not here";
    }
};

TEST_P(Adrift, WhatIsSetBeforeTheChecksIsNotDoubtedBehindThem) {
    std::set<std::string> given{"charts", "at", "name", "letters", "skip"};
    for (const char* text :
         {"int depth = depth_at", "letters == length", "at + 8 >= charts", "at[0] == '.'"}) {
        Ran ran = debug(fixture(std::string("adrift-") + GetParam()),
                        {"pause at " + place_of_text("adrift.c", text), "launch", "locals"});
        unsigned seen = 0;
        for (const std::string& line : lines_of(ran.output)) {
            if (!line.starts_with("  ")) continue;
            std::string name = line.substr(2, line.find(' ', 2) - 2);
            // The store of 0 is gone, for a call sets it on every way before it is used.
            bool is_called_first = name == "length" && text == std::string("letters == length");
            if (!given.contains(name) && !is_called_first) continue;
            ++seen;
            EXPECT_EQ(line.find("perhaps"), std::string::npos) << text << ": " << line;
            EXPECT_EQ(line.find("not stored"), std::string::npos) << text << ": " << line;
        }
        EXPECT_GE(seen, given.size()) << ran.output;
    }
}

// Where the ways through a table of jumps were not known, nothing was said of what nobody has set.
TEST_P(Adrift, BeforeTablesOfJumpsWhatNobodySetIsToldAsThat) {
    Ran ran = debug(fixture(std::string("adrift-") + GetParam()),
                    {"pause at " + place_of_text("adrift.c", "switch (kind)"), "launch", "locals"});
    bool is_kept = std::string(GetParam()).starts_with("gcc");
    std::string wanted = is_kept ? "not stored yet" : "no value";
    bool is_told = std::ranges::any_of(lines_of(ran.output), [&](const std::string& line) {
        return line.starts_with("  mark ") && line.find(wanted) != std::string::npos;
    });
    EXPECT_TRUE(is_told) << ran.output;
}

std::string line_of(const Ran& ran, const std::string& name) {
    for (const std::string& line : lines_of(ran.output))
        if (line.starts_with("  " + name + " ")) return line;
    return "no " + name + " in\n" + ran.output;
}

// The address is computed before the loop, and handed out in it: on the first turn nobody has had
// it, on the second somebody has.
TEST_P(Adrift, AnAddressThatIsComputedBeforeTheLoopIsNotHandedOutThere) {
    std::string place = place_of_text("adrift.c", "list = next_entry");
    Ran ran = debug(fixture(std::string("adrift-") + GetParam()),
                    {"pause at " + place, "launch", "locals"});
    std::string entry = line_of(ran, "entry");
    EXPECT_NE(entry.find("perhaps not set"), std::string::npos) << entry;
    ran = debug(
        fixture(std::string("adrift-") + GetParam()),
        {"pause at " + place_of_text("adrift.c", "total += entry.depth"), "launch", "locals"});
    entry = line_of(ran, "entry");
    EXPECT_EQ(entry.find("not set"), std::string::npos) << entry;
    EXPECT_NE(entry.find("depth = 0, width = 2"), std::string::npos) << entry;
}

TEST_P(Adrift, WhatAnInlinedFunctionHasNotSetIsToldAsThat) {
    Ran ran = debug(fixture(std::string("adrift-") + GetParam()),
                    {"pause at " + place_of_text("adrift.c", "warn_of(chart, 70)"), "launch",
                     "stack", "locals"});
    std::string mark = line_of(ran, "mark");
    EXPECT_TRUE(mark.find("not stored yet") != std::string::npos ||
                mark.find("no value") != std::string::npos)
        << mark << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Builds, Adrift,
                         ::testing::Values("gcc-O1", "gcc-O2", "gcc-O3", "clang-O1", "clang-O2",
                                           "clang-O3"),
                         [](const auto& info) {
                             std::string name = info.param;
                             name[name.find('-')] = '_';
                             return name;
                         });

}  // namespace
}  // namespace lantern::testing
