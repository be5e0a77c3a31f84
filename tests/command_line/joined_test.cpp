// A line that a jump comes to past its marked row is met and stepped to: as often as the program
// prints what it says there.
#include <gtest/gtest.h>

#include <algorithm>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class Joined : public ::testing::TestWithParam<std::string> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && GetParam().starts_with("clang")) GTEST_SKIP() << "clang is not here";
    }
    std::string program() const { return fixture("gauges-" + GetParam()); }
};

std::ptrdiff_t stops_at(const std::string& line, const std::string& output) {
    auto lines = lines_of(output);
    return std::ranges::count_if(lines, [&](const std::string& each) {
        return each.find("◆ " + line + " ") != std::string::npos;
    });
}

// weigh is called twice with boats, and prints at line 18; lift once, at line 28.
TEST_P(Joined, ABreakpointIsMetAtEachPass) {
    ASSERT_EQ(lines_of(run({program()}).output).size(), 4u);
    auto ran = debug(program(), {"pause at gauges.c:18", "pause at gauges.c:28", "launch",
                                 "continue", "continue", "continue"});
    EXPECT_EQ(stops_at("18", ran.output), 2) << ran.output;
    EXPECT_EQ(stops_at("28", ran.output), 1) << ran.output;
    EXPECT_TRUE(ran.says("the program has ended")) << ran.output;
}

// From its head the loop of six turns is left by way of the line that prints.
TEST_P(Joined, AStepOutOfTheLoopComesToTheLineBehindIt) {
    std::vector<std::string> commands{"pause at weigh", "launch", "drop 1"};
    for (int step = 0; step < 40; ++step) commands.push_back("over");
    auto ran = debug(program(), commands);
    EXPECT_GE(stops_at("18", ran.output), 1) << ran.output;
    EXPECT_LT(ran.output.find("◆ 18 "), ran.output.find("◆ 46 ")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compilers, Joined,
                         ::testing::Values("gcc-O0", "gcc-O1", "gcc-O2", "gcc-O3", "clang-O1",
                                           "clang-O2", "clang-O3"),
                         [](const auto& each) { return as_test_name(each.param); });

}  // namespace
}  // namespace lantern::testing
