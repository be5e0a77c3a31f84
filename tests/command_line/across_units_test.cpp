// Calls between units that only declare what they call of each other. The witnesses are what the
// program prints of what it passes on, and its stack where nothing is optimised.
#include <gtest/gtest.h>

#include <regex>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class AcrossUnits : public ::testing::TestWithParam<std::string> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && GetParam() == "clang") GTEST_SKIP() << "clang is not installed";
    }
    std::string program(const std::string& optimisation) const {
        return fixture("across-" + GetParam() + "-" + optimisation);
    }
};

std::vector<std::string> all_of(const std::string& text, const std::regex& wanted) {
    std::vector<std::string> found;
    for (std::sregex_iterator at(text.begin(), text.end(), wanted), end; at != end; ++at)
        found.push_back((*at)[1]);
    return found;
}

std::vector<std::string> stack_at_ring(const std::string& program, unsigned after) {
    Ran ran =
        debug(program, {"pause at ring after " + std::to_string(after), "launch", "stack all"},
              {"--stdout", "/dev/null", "--format", "json"});
    std::string stack =
        ran.output.substr(std::min(ran.output.find("\"kind\":\"stack\""), ran.output.size()));
    std::vector<std::string> names = all_of(stack, std::regex("\"function\":\"(\\w+)\""));
    auto main = std::find(names.begin(), names.end(), "main");
    names.erase(main == names.end() ? main : main + 1, names.end());
    return names;
}

// At the first ring of each weigh: its caller has its parameters in registers that are lost.
TEST_P(AcrossUnits, WhatWasPassedIsWhatTheCallerSays) {
    Ran alone = run({program("O2")});
    auto loads = all_of(alone.output, std::regex("weigh load=(\\d+)")),
         gates = all_of(alone.output, std::regex("weigh load=\\d+ gate=(\\d+)"));
    ASSERT_EQ(loads.size(), 2u) << alone.output;
    Ran ran = debug(program("O2"),
                    {"pause at ring", "launch", "caller", "value load", "value gate", "continue",
                     "continue", "caller", "value load", "value gate"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(all_of(ran.output, std::regex("@\\d+ load = (\\d+)")), loads) << ran.output;
    EXPECT_EQ(all_of(ran.output, std::regex("@\\d+ gate = (\\d+)")), gates) << ran.output;
}

TEST_P(AcrossUnits, FunctionsThatLeftByAJumpAreOnTheStack) {
    for (unsigned after : {4u, 5u, 6u}) {
        auto names = stack_at_ring(program("O2"), after);
        EXPECT_GE(names.size(), 5u);
        EXPECT_EQ(names, stack_at_ring(program("O0"), after)) << after;
    }
}

TEST_P(AcrossUnits, ByWhichOfTwoJumpsIsNotSaid) {
    Ran ran = debug(program("O2"),
                    {"pause at ring after 5", "launch", "stack", "frame 2", "value load", "out"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(
        ran.says("inferred: it left by one of several jumps to the one above; told as it "
                 "was called"))
        << ran.output;
    EXPECT_TRUE(ran.says("by_either: by which of several jumps it left is not known"))
        << ran.output;
    EXPECT_TRUE(ran.says("by_either has returned")) << ran.output;
}

// Some parameters are in registers only while they are passed on, and on the stack before and
// behind.
TEST_P(AcrossUnits, WhatIsFetchedForTheCallUnderWayIsWhereItWasBefore) {
    Ran alone = run({program("O2")});
    std::string printed = alone.output.substr(alone.output.find("keep "));
    std::vector<std::string> commands{"pause at carry after 3", "launch"};
    for (unsigned call = 0; call < 12; ++call)
        commands.insert(commands.end(), {"caller", "locals", "continue"});
    Ran ran = debug(program("O2"), commands, {"--stdout", "/dev/null"});
    std::regex told("\n  ([a-f])  +(\\d+)  ");
    unsigned values = 0;
    for (std::sregex_iterator at(ran.output.begin(), ran.output.end(), told), end; at != end;
         ++at) {
        EXPECT_NE(printed.find(" " + (*at)[1].str() + "=" + (*at)[2].str()), std::string::npos)
            << (*at)[0];
        ++values;
    }
    EXPECT_GE(values, 65u) << ran.output;
}

// What the first of the calls was given is not what the one that runs was.
TEST_P(AcrossUnits, AFunctionThatJumpsBackToItselfMayHaveBeenGivenAnything) {
    auto loads = all_of(run({program("O2")}).output, std::regex("even load=(\\d+)"));
    ASSERT_EQ(loads.size(), 3u);
    for (unsigned call = 0; call < 3; ++call) {
        Ran ran = debug(
            program("O2"),
            {"pause at ring after " + std::to_string(19 + call), "launch", "caller", "locals"},
            {"--stdout", "/dev/null"});
        EXPECT_TRUE(ran.says("locals of even_boats")) << ran.output;
        for (const std::string& told : all_of(ran.output, std::regex("\n  load  +(\\d+)  ")))
            EXPECT_EQ(told, loads[call]);
    }
}

// Told, or that it is not known: never the part of the sum that the record speaks of.
TEST_P(AcrossUnits, AnArgumentThatIsASumIsNotOneOfItsTerms) {
    std::string sums = fixture("sums-" + GetParam() + "-O2");
    std::string printed = run({sums}).output;
    auto draughts = all_of(printed, std::regex("draught=(\\S+)")),
         boats = all_of(printed, std::regex("boats=(\\S+)"));
    ASSERT_EQ(draughts.size(), 2u) << printed;
    std::string gone = "pause at sums.c:22";
    Ran ran = debug(sums,
                    {gone, "launch", "value draught", "value boats", "continue", "value draught",
                     "value boats"},
                    {"--stdout", "/dev/null"});
    bool is_clang = GetParam() == "clang";
    EXPECT_EQ(all_of(ran.output, std::regex("draught = (\\S+)")),
              is_clang ? std::vector<std::string>() : draughts)
        << ran.output;
    EXPECT_EQ(all_of(ran.output, std::regex("(draught: no value)")).size(), is_clang ? 2u : 0u);
    EXPECT_EQ(all_of(ran.output, std::regex("boats = (\\S+)")), boats) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compilers, AcrossUnits, ::testing::Values("gcc", "clang"),
                         [](const auto& each) { return each.param; });

}  // namespace
}  // namespace lantern::testing
