// Functions that are left by longjmp or an exception: they have not returned, what was watched in
// them is gone, and the handler is where it goes on.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class LeftFrame : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && std::string(GetParam()).starts_with("clang"))
            GTEST_SKIP() << "clang is not here";
    }
    std::string jumping() const { return fixture(std::string("cast-off-") + GetParam()); }
    std::string throwing() const { return fixture(std::string("parted-ropes-") + GetParam()); }
    static std::string throws() { return place_of_text("parted_ropes.cpp", "if (weight > 30)"); }
    bool is_optimised() const { return std::string(GetParam()).ends_with("O2"); }
};

std::size_t count_of(const std::string& text, const std::string& part) {
    std::size_t count = 0;
    for (std::size_t at = 0; (at = text.find(part, at)) != std::string::npos; at += part.size())
        ++count;
    return count;
}

TEST_P(LeftFrame, OutTellsThatLongjmpLeftIt) {
    Ran ran = debug(jumping(), {"pause at lock when barges == 4", "launch", "out", "value boats"});
    EXPECT_TRUE(ran.says("longjmp came here")) << ran.output;
    EXPECT_TRUE(ran.says("lock has not returned: it was left")) << ran.output;
    EXPECT_FALSE(ran.says("from lock")) << ran.output;
    EXPECT_TRUE(ran.says("boats = 4")) << ran.output;
}

TEST_P(LeftFrame, OutComesBackWhereNothingLeavesIt) {
    Ran ran = debug(jumping(), {"pause at lock when barges == 2", "launch", "out", "value boats"});
    EXPECT_TRUE(ran.says("lock has returned")) << ran.output;
    EXPECT_TRUE(ran.says("returned  105 from lock")) << ran.output;
    EXPECT_TRUE(ran.says("boats = 2")) << ran.output;
}

TEST_P(LeftFrame, OutOfTheCallerOfWhatWasThrown) {
    Ran ran = debug(throwing(), {"pause at haul when weight == 40", "launch", "frame 1", "out"});
    EXPECT_TRUE(ran.says("std::runtime_error: parted at 80")) << ran.output;
    EXPECT_TRUE(ran.says("tow has not returned: it was left")) << ran.output;
    EXPECT_FALSE(ran.says("from tow")) << ran.output;
}

// The line holds the catch and all that its handler does.
TEST_P(LeftFrame, StopsInTheHandlerOnTheLineOfItsCatch) {
    Ran ran = debug(throwing(), {"pause at " + throws() + " when weight == 40", "launch", "drop 1",
                                 "out", "over"});
    std::string place = place_of_text("parted_ropes.cpp", "} catch (const std::exception& error)");
    std::string line = place.substr(place.find(':') + 1);
    std::size_t landed = ran.output.find("haul has not returned");
    ASSERT_NE(landed, std::string::npos) << ran.output;
    EXPECT_NE(ran.output.rfind("◆ " + line, landed), std::string::npos) << ran.output;
    EXPECT_NE(ran.output.find("rest returned 60", landed), std::string::npos) << ran.output;
}

// A recursion passes the step's places many times: it is waited for in another way then.
TEST_P(LeftFrame, StepsOverADeepRecursionThatIsLeft) {
    std::string place = place_of_text("parted_ropes.cpp", "int left = branch");
    for (const char* step : {"over", "out"}) {
        Ran ran = debug(throwing(), {"pause at " + place, "launch", "drop 1", step, "locals"});
        EXPECT_TRUE(ran.says("caught    int")) << ran.output;
        // Optimised, nothing of the handler may be left to stop at.
        EXPECT_TRUE(ran.says("─ canal ─") || (is_optimised() && ran.says("-7 from canal")))
            << ran.output;
        EXPECT_FALSE(ran.says("depth  3")) << ran.output;
    }
}

TEST_P(LeftFrame, ACallOfOursThatLongjmpLeavesIsUndone) {
    Ran ran = debug(jumping(),
                    {"pause at lock when barges == 2", "launch", "drop 1", "out", "value lock(2)",
                     "value lock(4)", "value boats", "stack"},
                    {"--allow-calls"});
    EXPECT_TRUE(ran.says("lock(2) = 105")) << ran.output;
    EXPECT_TRUE(ran.says("lock did not return")) << ran.output + ran.errors;
}

TEST_P(LeftFrame, WhatIsWatchedEndsWithLongjmp) {
    if (is_optimised()) GTEST_SKIP() << "it is in a register there";
    Ran ran =
        debug(jumping(), {"pause at deep when n == 4", "launch", "frame 1", "pause on write level",
                          "continue", "continue", "continue", "continue"});
    EXPECT_EQ(count_of(ran.output, " by        cast_off.c:"), 2u) << ran.output;
    EXPECT_TRUE(ran.says("level is gone: lock was left by longjmp")) << ran.output;
    EXPECT_FALSE(ran.says("in again")) << ran.output;
}

TEST_P(LeftFrame, WhatIsWatchedEndsWithAnException) {
    if (is_optimised()) GTEST_SKIP() << "it is in a register there";
    Ran ran = debug(throwing(), {"pause at " + throws() + " when weight == 40", "launch",
                                 "pause on write pull", "frame 1", "pause on write sum", "drop 1",
                                 "continue", "continue", "continue"});
    EXPECT_TRUE(ran.says("pull is gone: haul was left")) << ran.output;
    EXPECT_TRUE(ran.says("sum is gone: tow was left")) << ran.output;
    EXPECT_EQ(count_of(ran.output, " wrote "), 0u) << ran.output;
}

// The loop's variable lives on while the handler is chosen.
TEST_P(LeftFrame, WhatTheHandlerKnowsWasSetBefore) {
    std::string place = place_of_text("parted_ropes.cpp", "total += tow(boats)");
    Ran ran = debug(throwing(), {"pause at haul when weight == 40", "launch", "drop 1",
                                 "pause at " + place, "continue", "locals"});
    EXPECT_TRUE(ran.says("  boats  5") || is_optimised()) << ran.output;
    EXPECT_FALSE(ran.says("perhaps not set")) << ran.output;
}

// The temporary is gone at the next line, and what it held was moved on before.
TEST_P(LeftFrame, WhatACallReturnedIsToldAsItWasThen) {
    std::string printed = run({throwing()}).output;
    std::size_t at = printed.find("total=");
    ASSERT_NE(at, std::string::npos);
    int total = std::stoi(printed.substr(at + 6));
    std::string place = place_of_text("parted_ropes.cpp", "std::size_t length");
    Ran ran = debug(throwing(), {"pause at " + place, "launch", "over"});
    EXPECT_TRUE(ran.says("bill returned \"tolls to pay this week: " + std::to_string(total) + "\""))
        << ran.output;
}

// A panic that is caught leaves all up to who asked for it to be caught.
TEST(LeftFrameOfRust, EndsWhereThePanicIsCaught) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    std::string place = place_of_text("panics.rs", "let caught = ");
    std::string line = place.substr(place.find(':') + 1);
    for (const char* build : {"panics", "panics-O"})
        for (const char* step : {"over", "out"}) {
            Ran ran = debug(fixture(build), {"pause at panics.rs:9", "launch", step});
            std::size_t landed = ran.output.find("a panic came here");
            ASSERT_NE(landed, std::string::npos) << build << ran.output;
            EXPECT_NE(ran.output.rfind("◆ " + line, landed), std::string::npos) << ran.output;
        }
    Ran ran = debug(fixture("panics"), {"pause at weigh", "launch", "out", "over", "value caught"});
    EXPECT_TRUE(ran.says("panics::weigh has not returned")) << ran.output;
    EXPECT_TRUE(ran.says("caught = Err")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Builds, LeftFrame,
                         ::testing::Values("gcc-O0", "gcc-O2", "clang-O0", "clang-O2"),
                         [](const auto& info) { return as_test_name(info.param); });

}  // namespace
}  // namespace lantern::testing
