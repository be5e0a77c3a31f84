// A variable that a call sets holds nothing before that call, also where optimised code has it in
// a register behind it. The program prints what the calls have set.
#include <gtest/gtest.h>

#include <algorithm>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class Notices : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && std::string(GetParam()).starts_with("clang"))
            GTEST_SKIP() << "clang is not here";
    }
};

TEST_P(Notices, NothingIsStoredBeforeTheFirstCall) {
    std::string first = place_of_text("notices.c", "if (!fits(barge, &why))");
    Ran ran = debug(fixture(std::string("notices-") + GetParam()),
                    {"pause at " + first, "launch", "value why", "continue", "value why",
                     "continue", "value why"});
    auto lines = lines_of(ran.output);
    auto told = std::ranges::count_if(lines, [](const std::string& line) {
        bool is_value = line.find("why = ") != line.npos || line.find(" why: ") != line.npos;
        return is_value && line.find("no instruction on the way here writes it") == line.npos &&
               line.find("not yet") == line.npos && line.find("not set") == line.npos &&
               line.find("no value") == line.npos;
    });
    EXPECT_EQ(told, 0) << ran.output;
    EXPECT_TRUE(ran.says("why")) << ran.output;
}

// The last barge is poor.
TEST_P(Notices, WhatTheSecondCallHasSetIsTold) {
    std::string second = place_of_text("notices.c", "if (!pays(barge, &why))");
    Ran ran = debug(fixture(std::string("notices-") + GetParam()),
                    {"pause at " + second, "launch", "continue", "over", "value why"});
    EXPECT_TRUE(ran.says("no toll") || ran.says("no value")) << ran.output;
    EXPECT_FALSE(ran.says("no instruction on the way here writes it")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Builds, Notices,
                         ::testing::Values("gcc-O0", "gcc-O2", "clang-O1", "clang-O2", "clang-O3"),
                         [](const auto& each) {
                             std::string name = each.param;
                             std::ranges::replace(name, '-', '_');
                             return name;
                         });

}  // namespace
}  // namespace lantern::testing
