// What is set through its address: on some ways only it is perhaps not set, behind a loop that
// hands it out, or where every way does, nothing is said.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

const char kPerhapsTaken[] = "perhaps not set: only some of the ways here assign it";

class Soundings : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && std::string(GetParam()).starts_with("clang"))
            GTEST_SKIP() << "clang is not here";
    }
    static Ran at(const std::string& text, const std::string& command) {
        return debug(fixture(std::string("soundings-") + GetParam()),
                     {"pause at " + place_of_text("soundings.c", text), "launch", command});
    }
    static std::string line_of_day(const std::string& text) {
        Ran ran = at(text, "locals");
        for (const std::string& line : lines_of(ran.output))
            if (line.starts_with("  day ")) return line;
        return "no day in\n" + ran.output;
    }
};

TEST_P(Soundings, WhoCameByTheShortWayHasTakenNone) {
    std::string line = line_of_day("note(\"some ways\"");
    EXPECT_NE(line.find(kPerhapsTaken), std::string::npos) << line;
}

TEST_P(Soundings, OfTheWholeItIsSaidOnceAndOfAMemberAskedForToo) {
    std::string whole = at("note(\"some ways\"", "value day").output;
    EXPECT_NE(whole.find(kPerhapsTaken), std::string::npos) << whole;
    EXPECT_EQ(whole.find(kPerhapsTaken), whole.rfind(kPerhapsTaken)) << whole;
    std::string member = at("note(\"some ways\"", "value day.taken").output;
    EXPECT_NE(member.find(kPerhapsTaken), std::string::npos) << member;
}

TEST_P(Soundings, BehindALoopThatTakesThemNothingIsSaid) {
    EXPECT_TRUE(line_of_day("note(\"behind the loop\"")
                    .starts_with("  day      {at_m = 300, taken = 1, tide_mm = 900}"));
    for (const char* place : {"note(\"behind the loop\"", "note(\"behind the while\""}) {
        std::string line = line_of_day(place);
        EXPECT_EQ(line.find("not set"), std::string::npos) << line;
        EXPECT_NE(line.find("taken = 1"), std::string::npos) << line;
    }
}

TEST_P(Soundings, WhereEachWayTakesOneNothingIsSaid) {
    std::string line = line_of_day("note(\"all ways\"");
    EXPECT_EQ(line.find("not set"), std::string::npos) << line;
    EXPECT_NE(line.find("taken = 1"), std::string::npos) << line;
}

// `*count = 3` sets what it leads to: of the pointer there is no doubt.
TEST_P(Soundings, APointerThatIsSetThroughIsNotDoubted) {
    Ran ran = debug(fixture(std::string("pointed-") + GetParam()),
                    {"pause at " + place_of_text("pointed.c", "count is where it was"), "launch",
                     "locals", "value *count"});
    bool is_shown = false;
    for (const std::string& line : lines_of(ran.output))
        if (line.starts_with("  count ")) {
            is_shown = true;
            EXPECT_NE(line.find("(count of frame 1)"), std::string::npos) << line;
            EXPECT_EQ(line.find("perhaps"), std::string::npos) << line;
        }
    EXPECT_TRUE(is_shown) << ran.output;
    EXPECT_TRUE(ran.says("*count = 3  int")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compilers, Soundings,
                         ::testing::Values("gcc-O0", "gcc-O2", "clang-O0", "clang-O2"),
                         [](const auto& each) {
                             std::string name = each.param;
                             name[name.find('-')] = '_';
                             return name;
                         });

}  // namespace
}  // namespace lantern::testing
