// Functions that left by a jump whose end nothing tells: through a pointer, into the C library, by
// one of several. The witnesses are what the programs print of the calls, and their source.
#include <gtest/gtest.h>

#include <regex>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class Leaves : public ::testing::TestWithParam<std::string> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && GetParam() == "clang") GTEST_SKIP() << "clang is not installed";
        program_ = fixture("leaves-" + GetParam());
    }
    std::string program_;
};

constexpr const char* kStraight = "inferred: it left by a jump to the one above";
constexpr const char* kPerhaps = "inferred: it left by a jump, maybe not straight to the one above";
constexpr const char* kOneOf =
    "inferred: it left by one of several jumps, maybe not straight to the one above; told as "
    "called";

// Each frame of the program's own, and how it was found where that is not certain.
std::vector<std::string> frames_in(const std::string& output) {
    std::vector<std::string> frames;
    std::size_t begin = output.rfind("call stack, innermost first");
    std::string stack = output.substr(std::min(begin, output.size()));
    static const std::regex kLine("\n (?: |◆) +?(?:\\d+  (\\S+)|(inferred: [^\n]+))");
    for (std::sregex_iterator at(stack.begin(), stack.end(), kLine), end; at != end; ++at) {
        frames.push_back((*at)[1].matched ? (*at)[1] : (*at)[2]);
        if (frames.back().ends_with("main")) break;
    }
    return frames;
}

using Frames = std::vector<std::string>;

TEST_P(Leaves, ThroughAPointerIsOnTheStack) {
    Ran ran = debug(program_, {"pause at moor", "launch", "stack"}, {"--stdout", "/dev/null"});
    EXPECT_EQ(frames_in(ran.output), (Frames{"moor", "by_pointer", kPerhaps, "main"}))
        << ran.output;
    EXPECT_TRUE(ran.says("leaves.c:17")) << ran.output;
}

// Each next one that all jumps of the last lead to is as certain as that one.
TEST_P(Leaves, ThroughAnotherOneToAPointer) {
    Ran ran = debug(program_, {"pause at moor after 1", "launch", "stack", "frame 1"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(frames_in(ran.output),
              (Frames{"moor", "by_pointer", kPerhaps, "twice_by_pointer", kStraight, "main"}))
        << ran.output;
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("◆ 17 .*it left by a jump here")))
        << ran.output;
}

// It jumps to moor itself in line 32, and did not: it went through by_pointer in line 34.
TEST_P(Leaves, BySeveralWaysIsNotSaidToHaveGoneByTheShortOne) {
    Ran alone = run({program_});
    ASSERT_NE(alone.output.find("by_either 9\nby_pointer 10\nmoor 11\n"), std::string::npos)
        << alone.output;
    Ran ran = debug(program_, {"pause at moor after 2", "launch", "stack", "frame 1", "locals"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(frames_in(ran.output), (Frames{"moor", "by_either", kOneOf, "main"})) << ran.output;
    EXPECT_FALSE(ran.says("leaves.c:32")) << ran.output;
    EXPECT_TRUE(ran.says("by_either: by which of several jumps it left is not known"))
        << ran.output;
    EXPECT_TRUE(std::regex_search(
        ran.output,
        std::regex("berth +no value: by which of several jumps the function left is not known")))
        << ran.output;
}

// The jump is in a function that was inlined: both have left by it.
TEST_P(Leaves, InAnInlinedFunction) {
    Ran ran =
        debug(program_, {"pause at moor after 3", "launch", "stack", "frame 1", "frame 2", "out"},
              {"--stdout", "/dev/null"});
    EXPECT_EQ(frames_in(ran.output),
              (Frames{"moor", "settle", kStraight, "through_inlined", "main"}))
        << ran.output;
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("◆ 53 .*it left by a jump here")))
        << ran.output;
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("◆ 58 .*it left by a jump here")))
        << ran.output;
    EXPECT_TRUE(ran.says("through_inlined has returned")) << ran.output;
}

TEST_P(Leaves, HasNoWordsOnTheStackAndNothingToLeave) {
    Ran ran = debug(program_, {"pause at moor after 3", "launch", "words 3", "frame 2"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("words of frame 0, moor")) << ran.output;
    EXPECT_TRUE(ran.says("words of frame 3, main")) << ran.output;
    EXPECT_FALSE(ran.says("cannot be read")) << ran.output;
    for (const char* command : {"words", "leave 3"}) {
        Ran refused = debug(program_, {"pause at moor after 3", "launch", "frame 2", command},
                            {"--stdout", "/dev/null"});
        EXPECT_TRUE(
            refused.says("through_inlined has left by a jump: nothing of it is on the stack"))
            << refused.output;
    }
}

TEST_P(Leaves, IntoTheCLibrary) {
    Ran ran = debug(program_, {"pause at main", "launch", "pause at puts", "continue", "stack"},
                    {"--stdout", "/dev/null"});
    auto frames = frames_in(ran.output);
    ASSERT_GE(frames.size(), 4u) << ran.output;
    EXPECT_EQ(frames[1], "call_out") << ran.output;
    EXPECT_TRUE(frames[2].starts_with("inferred: it left by")) << ran.output;
    EXPECT_EQ(frames[2].find("maybe"), std::string::npos) << ran.output;
}

// The crash is in the C library, and the line that called it is the user's own.
TEST_P(Leaves, ACrashBehindAJumpIntoTheCLibraryIsShownAtTheJump) {
    Ran ran = debug(program_, {"launch x", "stack", "diagnose"}, {"--stdout", "/dev/null"});
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("◆ 38 .*it left by a jump here")))
        << ran.output;
    auto frames = frames_in(ran.output);
    ASSERT_EQ(frames.size(), 4u) << ran.output;
    EXPECT_EQ(frames[1], "length_of") << ran.output;
    // What the C library chose for strlen has a name only where its own symbols are installed.
    bool is_named = frames[0].find("strlen") != std::string::npos;
    EXPECT_EQ(frames[2], is_named ? kStraight : kPerhaps) << ran.output;
    // What it passed on still stands in the register, and is what it was given.
    if (!is_named) return;
    EXPECT_TRUE(ran.says("name is null")) << ran.output;
    EXPECT_TRUE(ran.says("main passes words[2] as name")) << ran.output;
}

// moor prints what it is given: what the two that led there were given follows from the source.
TEST_P(Leaves, WhatWasPassedOnIsStillInItsRegister) {
    Ran alone = run({program_});
    ASSERT_NE(alone.output.find("through_inlined 4\nsettle 8\nmoor 13\n"), std::string::npos);
    Ran ran =
        debug(program_, {"pause at moor after 3", "launch", "stack"}, {"--stdout", "/dev/null"});
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("1  settle +boat = (8|\\?) ")))
        << ran.output;
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("2  through_inlined +boat = (4|\\?) ")))
        << ran.output;
    EXPECT_FALSE(
        std::regex_search(ran.output, std::regex("(settle|through_inlined) +boat = \\?.*"
                                                 "\n.*\n.*(settle|through_inlined) +boat = \\?")))
        << "one of them at least is known: " << ran.output;
}

// clang records nothing of the jump to strlen: the other one must not be taken for it.
TEST_P(Leaves, AJumpThatIsNotRecordedIsOneOfSeveral) {
    Ran ran = debug(program_, {"launch x y", "stack"}, {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.output.find("leaves.c:47"), std::string::npos) << ran.output;
    auto frames = frames_in(ran.output);
    ASSERT_GE(frames.size(), 3u) << ran.output;
    EXPECT_EQ(frames[1], "one_of_two") << ran.output;
}

// Each call goes through the linkage table, the first of each function by way of the loader.
TEST_P(Leaves, InALibraryWhereCallsGoThroughItsLinkageTable) {
    Ran ran = debug(
        fixture("leaves-beside-" + GetParam()),
        {"pause at moor later", "launch", "stack", "continue", "stack", "caller", "caller", "out"},
        {"--stdout", "/dev/null"});
    EXPECT_EQ(frames_in(ran.output), (Frames{"moor", "by_pointer", kPerhaps, "twice_by_pointer",
                                             kStraight, "leaves_main"}))
        << ran.output;
    EXPECT_TRUE(ran.says("twice_by_pointer has returned")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compilers, Leaves, ::testing::Values("gcc", "clang"),
                         [](const auto& each) { return each.param; });

TEST(LeavesInRust, WhatIsNotRecordedIsReadFromTheCode) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not installed";
    Ran ran = debug(fixture("leaves-rs"), {"pause at leaves::moor", "launch", "stack"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(frames_in(ran.output), (Frames{"leaves::moor", "leaves::by_pointer", kPerhaps,
                                             "leaves::twice", kStraight, "leaves::main"}))
        << ran.output;
}

}  // namespace
}  // namespace lantern::testing
