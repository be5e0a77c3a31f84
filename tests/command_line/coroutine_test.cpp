// C++ coroutines, and variables that an optimiser has done away with.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class Coroutine : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (std::string(GetParam()).find("clang") != std::string::npos && !HAVE_CLANG)
            GTEST_SKIP() << "clang is not here";
    }
    // (clang without optimisation puts a row of it at the beginning of the call, too.)
    Ran at_the_yield(std::vector<std::string> commands) const {
        commands.insert(commands.begin(), {"pause at coroutine.cpp:40", "launch", "over"});
        return debug(fixture(GetParam()), commands);
    }
    bool is_optimised() const { return std::string(GetParam()).find("O2") != std::string::npos; }
};

TEST_P(Coroutine, ShowsWhatTheUserDeclaredAndNothingElse) {
    Ran ran = at_the_yield({"locals"});
    bool may_be_removed = std::string(GetParam()) == "coroutine-clang-O2";
    for (const char* line : {"  weight   3 ", "  total    6 ", "  name     \"lock!\"",
                             "  first    2 ", "  weights  {3, 4, 5}"})
        EXPECT_TRUE(may_be_removed || ran.says(line)) << line << ran.output;
    for (const char* made : {"frame_ptr", "_Coro_", "__coro", "__for_", "Yd0"})
        EXPECT_FALSE(ran.says(made)) << made << ran.output;
}

// It is left at the yield, on one press, and hands nothing back: what the user called returned the
// object long ago.
TEST_P(Coroutine, IsSteppedOutOfAtTheYield) {
    Ran ran = at_the_yield({"over"});
    EXPECT_TRUE(ran.says("passing has returned")) << ran.output;
    EXPECT_FALSE(ran.says("from passing")) << ran.output;
}

TEST_P(Coroutine, IsLeftWithoutAValueOut) {
    Ran ran = at_the_yield({"out", "stack"});
    EXPECT_TRUE(ran.says("passing has returned")) << ran.output;
    EXPECT_FALSE(ran.says("from passing")) << ran.output;
    EXPECT_TRUE(ran.says("  main ")) << ran.output;
}

// Behind the yield it goes on with the next statement: the way in is no line to stop at.
TEST_P(Coroutine, IsResumedBehindTheYield) {
    if (is_optimised()) GTEST_SKIP() << "the statement behind it is merged with others";
    Ran ran = at_the_yield({"pause at coroutine.cpp:42", "continue", "value total", "over"});
    EXPECT_TRUE(ran.says("@1 total = 6 ")) << ran.output;
    EXPECT_TRUE(ran.says("total  6 → 7")) << ran.output;
    EXPECT_TRUE(ran.says("◆ 38 ")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compilers, Coroutine,
                         ::testing::Values("coroutine-gcc-O0", "coroutine-gcc-O2",
                                           "coroutine-clang-O0", "coroutine-clang-O2"),
                         [](const auto& info) {
                             std::string name = info.param;
                             std::ranges::replace(name, '-', '_');
                             return name;
                         });

TEST(RemovedVariable, IsSaidToBeRemoved) {
    std::vector<const char*> programs{"removed-gcc"};
    if (HAVE_CLANG) programs.push_back("removed-clang");
    for (const char* program : programs) {
        // The linker has no such symbol: it is really gone.
        ASSERT_EQ(run({"nm", fixture(program)}).output.find("spare"), std::string::npos);
        Ran ran = debug(fixture(program), {"pause at gauge", "launch", "value sum", "value spare"});
        EXPECT_TRUE(ran.says("@1 sum = 0 ")) << ran.output;
        EXPECT_NE((ran.output + ran.errors)
                      .find("the compiler removed spare: it is declared at removed.c:7"),
                  std::string::npos)
            << ran.output << ran.errors;
        Ran other = debug(fixture(program), {"pause at gauge", "launch", "value spore"});
        EXPECT_EQ((other.output + other.errors).find("removed spore"), std::string::npos);
    }
}

}  // namespace
}  // namespace lantern::testing
