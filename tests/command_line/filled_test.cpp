// What is not set of a structure that is, and what lies in a loop above its declaration.
#include <gtest/gtest.h>

#include <algorithm>
#include <fstream>
#include <nlohmann/json.hpp>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class Filled : public ::testing::TestWithParam<std::string> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && GetParam().starts_with("clang")) GTEST_SKIP() << "clang is not here";
    }
    // Of the fixture's source: the number of the line that holds this text.
    static std::string line(const std::string& text) {
        std::ifstream source(std::string(SOURCE_FOLDER) + "/tests/programs/filled.c");
        std::string each;
        for (unsigned number = 1; std::getline(source, each); ++number)
            if (each.find(text) != std::string::npos) return std::to_string(number);
        return "none: " + text;
    }
    static std::string place(const std::string& text) { return "pause at filled.c:" + line(text); }
    std::string program() const { return fixture("filled-" + GetParam()); }
    std::string unset() const { return GetParam().ends_with("O0") ? "(not set)" : "(not stored)"; }
};

TEST_P(Filled, MembersThatNothingHasSetAreSaidToBeSo) {
    auto ran = debug(program(), {place("one member"), place("half of"), place("given away"),
                                 place("anybody"), "launch", "locals", "continue", "locals",
                                 "continue", "locals", "continue", "locals"});
    std::string u = unset();
    EXPECT_TRUE(ran.says("{number = 1, size = " + u + ", opened = " + u + ", note = " + u + "}"))
        << ran.output;
    EXPECT_TRUE(ran.says("{number = 1, size = {width_cm = " + u +
                         ", depth_cm = 210}, opened = " + u + ", note = " + u + "}"));
    EXPECT_TRUE(ran.says("{number = 1, size = {width_cm = " + u +
                         ", depth_cm = 210}, opened = 7, note = " + u + "}"));
    EXPECT_TRUE(ran.says("size = {width_cm = 600, depth_cm = 210}, opened = 7, note = \""))
        << "whoever has its address may have set anything";
    EXPECT_TRUE(ran.says("gate.opened  " + u + " → 7")) << ran.output;
    EXPECT_FALSE(ran.says("gate.note")) << "it has not changed: the same chance bytes";
}

TEST_P(Filled, OneMemberAskedAloneShowsWhatLiesThereAndSaysSo) {
    auto ran = debug(program(), {place("half of"), "launch", "value gate.opened",
                                 "value gate.size.depth_cm", "value gate", "explain gate"});
    bool is_plain = GetParam().ends_with("O0");
    EXPECT_TRUE(ran.says(is_plain ? "long long int  not set yet" : "long long int  not stored") ||
                ran.says(is_plain ? "long long  not set yet" : "long long  not stored"))
        << ran.output;
    EXPECT_TRUE(ran.says("gate.size.depth_cm = 210  int\n"));
    EXPECT_TRUE(ran.says("    note    " + unset())) << ran.output;
    EXPECT_TRUE(ran.says("value     {number = 1, size = {width_cm = " + unset()));
}

TEST_P(Filled, WhatIsChangedByHandIsShown) {
    auto ran = debug(
        program(), {place("half of"), "launch", "change gate.opened = 99", "locals", "value gate"});
    EXPECT_TRUE(ran.says("opened = 99, note")) << ran.output;
    EXPECT_TRUE(ran.says("    opened  99 ")) << ran.output;
}

TEST_P(Filled, InJsonTheMembersAreMarked) {
    Ran ran = debug(program(), {place("half of"), "launch", "locals"},
                    {"--format", "json", "--stdout", "/dev/null"});
    auto locals = nlohmann::json::parse(lines_of(ran.output).back());
    auto& all = locals["variables"];
    auto found = std::ranges::find_if(all, [](auto& each) { return each["name"] == "gate"; });
    ASSERT_NE(found, all.end()) << ran.output;
    auto& gate = *found;
    std::string word = GetParam().ends_with("O0") ? "not-yet" : "not-stored";
    EXPECT_EQ(gate["children"][0]["assigned"], "yes");
    EXPECT_EQ(gate["children"][1]["children"][0]["assigned"], word);
    EXPECT_EQ(gate["children"][1]["children"][1]["assigned"], "yes");
    EXPECT_EQ(gate["children"][2]["assigned"], word);
}

TEST_P(Filled, AboveItsDeclarationAVariableIsOfAnEarlierTurnOrOfNothing) {
    auto ran =
        debug(program(), {place("above the declaration"), place("below it"), "launch",
                          "value inner", "continue", "value inner", "continue", "value inner"});
    std::string declared = line("struct gate inner");
    std::string said = GetParam().ends_with("O0")
                           ? "struct gate  not set yet"
                           : "struct gate  perhaps not of here: it is declared further down, at "
                             "line " +
                                 declared;
    EXPECT_TRUE(ran.says("@1 inner  " + said)) << ran.output;
    EXPECT_TRUE(ran.says("@2 inner  struct gate\n")) << ran.output;
    EXPECT_TRUE(ran.says("@3 inner  " + said)) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compilers, Filled,
                         ::testing::Values("gcc-O0", "gcc-O2", "clang-O0", "clang-O2"),
                         [](const auto& each) { return as_test_name(each.param); });

}  // namespace
}  // namespace lantern::testing
