// A call returns to an instruction without a line, in the midst of a statement: that is where a
// step ends, and not somewhere further on.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

TEST(BehindCalls, TheStatementGoesOn) {
    if (!HAVE_CLANG) GTEST_SKIP() << "clang is not here";
    for (const char* step : {"out", "over"}) {
        std::vector<std::string> commands{"pause at behind_calls.cpp:10", "launch", "drop 1"};
        commands.push_back(step);
        commands.push_back("stack");
        std::string output = debug(fixture("behind-calls-clang"), commands).output;
        EXPECT_EQ(output.find("there is no source"), std::string::npos) << step << output;
        std::string stack = output.substr(output.rfind("call stack"));
        EXPECT_NE(stack.find("0  pass_all"), std::string::npos) << step << output;
        EXPECT_NE(stack.find("behind_calls.cpp:17"), std::string::npos) << step << output;
        EXPECT_NE(output.find("begun; the rest is next"), std::string::npos) << step << output;
    }
}

}  // namespace
}  // namespace lantern::testing
