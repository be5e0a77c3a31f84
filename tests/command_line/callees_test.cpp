// diagnose, where a call could not even read whom to call; and where one panic follows another.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

std::string diagnosed(const std::string& program, const std::vector<std::string>& words) {
    std::vector<std::string> command{LANTERN_PROGRAM, "diagnose",  fixture(program),
                                     "--stdout",      "/dev/null", "--"};
    command.insert(command.end(), words.begin(), words.end());
    return run(command).output;
}

class Callees : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && std::string(GetParam()).starts_with("clang"))
            GTEST_SKIP() << "clang is not here";
    }
    std::string told(const std::string& how) const {
        return diagnosed(std::string("callees-") + GetParam(), {how});
    }
};

// The pointer is wrong, and nobody knows what it would have led to.
TEST_P(Callees, ThePointerToTheirTableIsToBlame) {
    for (const char* how : {"no", "nc", "wo", "wc"}) {
        std::string output = told(how);
        bool is_null = how[0] == 'n';
        EXPECT_NE(output.find(is_null ? "gate->work is null" : "0x5a5a5a5a5a5a5a5a"),
                  std::string::npos)
            << how << output;
        EXPECT_EQ(output.find("and it is called"), std::string::npos) << how << output;
        EXPECT_TRUE(is_null || output.find("is null") == std::string::npos) << how << output;
    }
}

TEST_P(Callees, WhatIsTakenAwayIsNoLargeNumber) {
    std::string output = told("l");
    EXPECT_NE(output.find("berths is 0, and it is divided by that"), std::string::npos) << output;
    EXPECT_EQ(output.find("42949672"), std::string::npos) << output;
}

INSTANTIATE_TEST_SUITE_P(Builds, Callees,
                         ::testing::Values("gcc-O0", "gcc-O1", "gcc-O2", "clang-O1", "clang-O2"));

TEST(PanicsBefore, AreToldWithTheLast) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    std::string of_thread = diagnosed("panics-before", {});
    EXPECT_NE(of_thread.find("called `Result::unwrap()` on an `Err` value"), std::string::npos)
        << of_thread;
    EXPECT_NE(of_thread.find("before   index out of bounds: the len is 0 but the index is 1, at "
                             "panics_before.rs:12 (panics_before::lose, thread 2)"),
              std::string::npos)
        << of_thread;
    std::string while_let_go = diagnosed("panics-before", {"a", "b"});
    EXPECT_NE(while_let_go.find("panic    the rope is caught"), std::string::npos) << while_let_go;
    EXPECT_NE(while_let_go.find("before   index out of bounds: the len is 0 but the index is 3"),
              std::string::npos)
        << while_let_go;
}

}  // namespace
}  // namespace lantern::testing
