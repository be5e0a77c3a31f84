// What a panic of Rust carries, where it begins and where it is caught: held against what the
// program itself makes of it.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

// The facts of one stop at each, in the order in which they come.
std::vector<std::string> facts_told(const std::string& program, const std::string& event,
                                    std::size_t stops) {
    std::vector<std::string> commands{"pause on " + event, "launch"};
    for (std::size_t i = 1; i < stops; ++i) commands.emplace_back("continue");
    std::vector<std::string> told;
    for (const std::string& line : lines_of(debug(program, commands).output))
        for (const char* label : {" panic     ", " caught    ", " object    "})
            if (line.starts_with(label)) told.push_back(line.substr(1));
    return told;
}

class Carried : public ::testing::TestWithParam<const char*> {
  public:
    void SetUp() override {
        if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    }
    std::string program() const { return fixture(GetParam()); }
};

TEST_P(Carried, ATextIsToldWholeAndAValueIsNoText) {
    std::string printed = run({program()}).output;
    ASSERT_NE(printed.find("text at 412 cm it is over\n"), std::string::npos);
    ASSERT_NE(printed.find("flood 413 Wren lock\n"), std::string::npos);
    std::vector<std::string> told = facts_told(program(), "panic", 6);
    std::vector<std::string> expected{"panic     no water in the lock",
                                      "panic     at 412 cm it is over",
                                      "panic     a value of carried::Flood",
                                      "object    {level = 413, lock = \"Wren lock\"}",
                                      "panic     a value of u32",
                                      "object    414",
                                      "panic     a value of carried::Flood",
                                      "object    {level = 415, lock = \"Wren lock\"}",
                                      "panic     a value of carried::Flood",
                                      "object    {level = 415, lock = \"Wren lock\"}"};
    EXPECT_EQ(told, expected);
}

TEST_P(Carried, WhereItIsCaughtItIsToldToo) {
    Ran ran = debug(program(), {"pause on catch", "launch"});
    std::string line = place_of_text("carried.rs", "catch_unwind(by_literal)");
    EXPECT_TRUE(ran.says("a panic is caught ─ carried::main")) << ran.output;
    EXPECT_TRUE(ran.says("◆ " + line.substr(line.find(':') + 1))) << ran.output;
    std::vector<std::string> told = facts_told(program(), "catch", 6), expected;
    for (std::string each : facts_told(program(), "panic", 6)) {
        if (each.starts_with("panic ")) each.replace(0, 6, "caught");
        expected.push_back(each);
    }
    EXPECT_EQ(told.size(), 10u);
    EXPECT_EQ(told, expected);
}

TEST_P(Carried, APanicOfOneTypeIsMetAlone) {
    Ran ran = debug(program(), {"pause on catch Flood", "launch", "continue", "continue"});
    EXPECT_FALSE(ran.says("caught    at 412")) << ran.output;
    EXPECT_TRUE(ran.says("{level = 413, lock = \"Wren lock\"}")) << ran.output;
    EXPECT_TRUE(ran.says("{level = 415, lock = \"Wren lock\"}")) << ran.output;
}

TEST_P(Carried, LeavingByAPanicTellsWhatItCarries) {
    Ran ran = debug(program(), {"pause at by_value", "launch", "out"});
    EXPECT_TRUE(ran.says("a panic came here")) << ran.output;
    EXPECT_TRUE(ran.says("caught    a value of carried::Flood")) << ran.output;
}

// Nothing tells the type of a value there; its bytes are no text for all that.
TEST(CarriedWithoutSymbols, ATextInAValueIsNotTold) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    for (const char* event : {"panic", "catch"}) {
        std::string label = event == std::string_view("panic") ? "panic " : "caught";
        std::vector<std::string> expected{label + "    no water in the lock",
                                          label + "    at 412 cm it is over"};
        EXPECT_EQ(facts_told(fixture("carried-bare"), event, 6), expected) << event;
    }
}

TEST_P(Carried, WhatCatchesIsOfTheLibrary) {
    Ran ran = debug(program(), {"pause at by_value", "launch", "stack"});
    EXPECT_FALSE(ran.says("__rust_try")) << ran.output;
    EXPECT_TRUE(ran.says("frames of Rust's library")) << ran.output;
}

TEST_P(Carried, NothingThrowsInRust) {
    Ran ran = debug(program(), {"pause on throw"});
    EXPECT_TRUE(ran.says("pause on panic stops there")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Builds, Carried, ::testing::Values("carried", "carried-O"),
                         [](const auto& info) { return as_test_name(info.param); });

}  // namespace
}  // namespace lantern::testing
