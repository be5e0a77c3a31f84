// Questions to containers, enums and iterators, answered without running anything: held against
// what the program itself says.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

struct Question {
    std::string text, answer;
};

std::vector<Question> questions_of(const std::string& program) {
    std::vector<Question> questions;
    for (const std::string& line : lines_of(run({program}).output))
        if (std::size_t at = line.rfind(" = "); at != std::string::npos)
            questions.push_back({line.substr(0, at), line.substr(at + 3)});
    return questions;
}

// "@7 levels.size() = 3  unsigned long": what stands between.
std::string answer_in(const std::vector<std::string>& lines, std::size_t number,
                      const std::string& question) {
    std::string start = "@" + std::to_string(number) + " " + question + " = ";
    for (const std::string& line : lines)
        if (line.starts_with(start))
            return line.substr(start.size(), line.find("  ", start.size()) - start.size());
    return "(no answer)";
}

bool says_the_same(const std::string& ours, const std::string& program) {
    return ours == program || ours == "\"" + program + "\"" || ours.ends_with(" '" + program + "'");
}

void expect_the_programs_answers(const std::string& program, std::size_t at_least) {
    auto questions = questions_of(fixture(program));
    ASSERT_GE(questions.size(), at_least);
    std::vector<std::string> commands = {"pause at stand_here", "launch", "caller"};
    for (const Question& question : questions) commands.push_back("value " + question.text);
    Ran ran = debug(fixture(program), commands, {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output.substr(ran.output.size() > 600 ? ran.output.size() - 600
                                                                          : 0);
    auto lines = lines_of(ran.output);
    for (std::size_t i = 0; i < questions.size(); ++i) {
        std::string ours = answer_in(lines, i + 1, questions[i].text);
        EXPECT_TRUE(says_the_same(ours, questions[i].answer))
            << questions[i].text << ": the program says " << questions[i].answer << ", we say "
            << ours;
    }
}

TEST(Questions, OfCppWithGnusLibrary) {
    expect_the_programs_answers("questions-gcc", 100);
}

TEST(Questions, OfExpected) {
    expect_the_programs_answers("expected-gcc", 17);
    Ran ran = debug(fixture("expected-gcc"),
                    {"pause at stand_here", "launch", "caller", "locals", "-value deep.error()"},
                    {"--stdout", "/dev/null"});
    for (const char* line :
         {"  deep     42 ", "  shallow  unexpected → 4 ", "  name     \"Wren\" ",
          "  nobody   unexpected → 7 ", "  toll     unexpected → \"closed\" ",
          "  done     as expected ", "  failed   unexpected → 3 ", "it holds a value and no error"})
        EXPECT_TRUE(ran.says(line)) << line << "\n" << ran.output;
}

TEST(Questions, OfCppWithClangsLibrary) {
    if (!HAVE_LIBCXX) GTEST_SKIP() << "clang's C++ library is not here";
    expect_the_programs_answers("questions-libc++", 100);
}

TEST(Questions, OfRust) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    expect_the_programs_answers("questions-rust", 90);
}

TEST(Questions, AreAskedInConditionsAndNotes) {
    Ran ran = debug(fixture("questions-gcc"),
                    {"note at stand_here 1",
                     "pause at questions.cpp:87 when levels.size() == 3 && keepers.contains(9)",
                     "launch", "value none.size()"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("breakpoint 2")) << ran.output;
    EXPECT_TRUE(ran.says("none.size() = 0")) << ran.output;
}

TEST(Questions, WhatIsNotThereIsRefusedWithASentence) {
    Ran ran = debug(
        fixture("questions-gcc"),
        {"pause at stand_here", "launch", "caller", "-value none.front()", "-value levels.at(3)",
         "-value keepers.at(5)", "-value no_depth.value()", "-value levels.push_back(3)",
         "-value gone->name", "-value *no_keeper", "-value levels.sise()", "-value tally.size()",
         "-value by_length.find(\"Teal\")", "-value by_length[\"Teal\"]", "value by_length.size()"},
        {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("it is empty")) << ran.output;
    EXPECT_TRUE(ran.says("there is no element 3: it has 3 elements"));
    EXPECT_TRUE(ran.says("it has no such key"));
    EXPECT_TRUE(ran.says("it holds nothing"));
    EXPECT_TRUE(ran.says("without running anything it answers"));
    EXPECT_TRUE(ran.says("its keys are compared by ByLength, which is code of the program"))
        << "\"Teal\" finds \"Wren\" there: " << ran.output;
    EXPECT_TRUE(ran.says("by_length.size() = 2"));
    EXPECT_FALSE(ran.says("tally.size() = 1"))
        << "a class that answers by itself is not answered for";
}

TEST(Questions, AVariantThatAnEnumDoesNotHaveIsNamed) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    Ran ran = debug(fixture("questions-rust"),
                    {"pause at stand_here", "launch", "caller", "-value shut == Gate::Opne",
                     "-value matches!(open, Gate::Open { wide: 3, .. })",
                     "-value matches!(ajar, Gate::Ajar(5))", "-value no_depth.unwrap()",
                     "-value matches!(ajar, Gate::Ajar(5, _) if true)"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("has no variant Opne")) << ran.output;
    EXPECT_TRUE(ran.says("it has Shut, Ajar and Open"));
    EXPECT_TRUE(ran.says("has no field wide"));
    EXPECT_TRUE(ran.says("'..' stands for the others"));
    EXPECT_TRUE(ran.says("it is None"));
    EXPECT_TRUE(ran.says("a pattern with 'if' is not known here"));
}

// A pointer may be a class of the user's own; where an iterator then stands only that class knows,
// and its parts are shown.
TEST(Questions, OfContainersWithPointersOfTheUsersOwn) {
    Ran ran = debug(fixture("fancy-gcc"), {"pause at fancy_pointers.cpp:57", "launch",
                                           "value lengths", "value lengths[1]", "value second"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("lengths = {72, 58, 214}")) << ran.output;
    EXPECT_TRUE(ran.says("lengths[1] = 58")) << ran.output;
    EXPECT_TRUE(ran.says("_M_current  {held = 0x")) << ran.output;
}

}  // namespace
}  // namespace lantern::testing
