// A value that the way to the line contradicts is not told as one.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class DecidedBefore : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && std::string(GetParam()) == "clang") GTEST_SKIP() << "clang is not here";
    }
};

// Lines 34 to 36 stand in `if (boat)`, and no boat is null at 38 in this program.

TEST_P(DecidedBefore, TheValueOfAnotherWayIsDoubted) {
    unsigned met = 0;
    for (const char* line : {"34", "35", "36", "38"}) {
        std::string wanted = line == std::string("38")
                                 ? "perhaps only of one way behind the condition at line 33"
                                 : "perhaps wrong: with it the condition at line 33 would not";
        auto ran = debug(fixture(std::string("decided-") + GetParam() + "-O2"),
                         {std::string("pause at decided.c:") + line, "launch", "value boat",
                          "continue", "value boat"});
        for (const std::string& told : lines_of(ran.output)) {
            if (told[0] != '@' && !told.starts_with(" boat:")) continue;
            ++met;
            bool is_null = told.find("boat = null") != std::string::npos;
            EXPECT_TRUE(!is_null || told.find(wanted) != std::string::npos) << line << ": " << told;
        }
    }
    EXPECT_GE(met, 3u);
}

INSTANTIATE_TEST_SUITE_P(Compilers, DecidedBefore, ::testing::Values("gcc", "clang"));

}  // namespace
}  // namespace lantern::testing
