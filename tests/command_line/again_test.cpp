// What the compiler says lies in a register, where on the way in nothing has been put there yet.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class EnteredAtItsEnd : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && std::string(GetParam()) == "clang") GTEST_SKIP() << "clang is not here";
    }
    std::string program() const { return fixture(std::string("again-") + GetParam() + "-O2"); }
};

bool has_plain_value(const std::string& line) {
    for (const char* doubt : {"no value", "not set", "not stored", "perhaps"})
        if (line.find(doubt) != std::string::npos) return false;
    return true;
}

// Before `malloc` has returned, the first sheet cannot have a value, nor can its length.
TEST_P(EnteredAtItsEnd, WhatTheCallerLeftInARegisterIsNoValue) {
    auto ran = debug(program(), {"pause at write_sheet", "launch", "locals", "over", "locals",
                                 "over", "locals"});
    bool is_before = true;
    unsigned seen = 0;
    for (const std::string& line : lines_of(ran.output)) {
        is_before &= line.find("malloc returned") == std::string::npos;
        bool is_one = line.starts_with("  sheet ") || line.starts_with("  length ");
        if (!is_before || !is_one) continue;
        ++seen;
        EXPECT_FALSE(has_plain_value(line)) << line;
    }
    EXPECT_GE(seen, 2u) << ran.output;
}

// And once it has one, it is told plainly.
TEST_P(EnteredAtItsEnd, WhatTheLoopSetsIsAValue) {
    auto ran = debug(program(), {"pause at again.c:20", "launch", "value length", "value sheet"});
    EXPECT_TRUE(ran.says("length = 36  int\n")) << ran.output;
    EXPECT_TRUE(ran.says("\"a barge\"")) << ran.output;
    EXPECT_FALSE(ran.says("perhaps not set")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compilers, EnteredAtItsEnd, ::testing::Values("gcc", "clang"));

}  // namespace
}  // namespace lantern::testing
