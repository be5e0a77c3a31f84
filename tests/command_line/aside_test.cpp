// Numbers put aside on the stack in optimised code: what is told of them is what the program has.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class PutAside : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && std::string(GetParam()) == "clang") GTEST_SKIP() << "clang is not here";
    }
};

// `mark` is -7 from its first line to the end of the function.
TEST_P(PutAside, IsToldAsWhatItIsOrNotAtAll) {
    std::vector<std::string> commands{"pause at carry", "launch", "over"};
    for (int step = 0; step < 30; ++step) commands.insert(commands.end(), {"over", "value mark"});
    auto ran = debug(fixture(std::string("aside-") + GetParam() + "-O2"), commands);
    unsigned told = 0;
    for (const std::string& line : lines_of(ran.output)) {
        auto at = line.find(" mark = ");
        if (line[0] != '@' || at == std::string::npos) continue;
        ++told;
        EXPECT_TRUE(line.substr(at).starts_with(" mark = -7  int")) << line;
    }
    EXPECT_GE(told, 5u) << ran.output;
    if (std::string(GetParam()) == "clang") {
        EXPECT_TRUE(
            ran.says("mark = -7  int  likely: what lies where the compiler's account "
                     "points"))
            << ran.output;
    }
}

// `lea rdi, [rip + …]` before the call, of which clang records nothing.
TEST_P(PutAside, AnAddressOfTheProgramThatIsPassedIsThatAddress) {
    auto ran = debug(fixture(std::string("aside-") + GetParam() + "-O2"),
                     {"pause at call_out", "launch", "pause at note", "continue", "continue",
                      "stack", "frame 1", "value what", "value *tons"});
    if (ran.says("it is a parameter that was optimised away")) GTEST_SKIP() << "it is not passed";
    EXPECT_TRUE(ran.says("\"the lock opens\"  const char *")) << ran.output;
    EXPECT_TRUE(ran.says("*tons = 40  const long")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compilers, PutAside, ::testing::Values("gcc", "clang"));

}  // namespace
}  // namespace lantern::testing
