// A breakpoint on a function that was inlined into a loop is met in each turn, once.
#include <gtest/gtest.h>

#include <algorithm>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class InEachTurn : public ::testing::TestWithParam<std::string> {};

// The program prints a line for each call.
TEST_P(InEachTurn, AnInlinedFunctionIsMetOnce) {
    if (!HAVE_CLANG && GetParam().starts_with("clang")) GTEST_SKIP() << "clang is not here";
    std::string program = fixture("rounds-" + GetParam());
    std::size_t calls = lines_of(run({program}).output).size();
    ASSERT_EQ(calls, 3u);
    auto ran = debug(program, {"pause at weigh", "launch", "continue", "continue", "continue"});
    auto lines = lines_of(ran.output);
    auto stops = std::ranges::count_if(
        lines, [](const std::string& line) { return line.starts_with("breakpoint 1 ─ weigh"); });
    EXPECT_EQ(stops, 3) << ran.output;
    EXPECT_TRUE(ran.says("the program has ended")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compilers, InEachTurn,
                         ::testing::Values("gcc-O1", "gcc-O2", "gcc-O3", "clang-O1", "clang-O2",
                                           "clang-O3"),
                         [](const auto& each) { return as_test_name(each.param); });

}  // namespace
}  // namespace lantern::testing
