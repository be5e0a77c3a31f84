// What a compiler keeps in a register for a loop, and stores behind it: what memory holds meanwhile
// is not told as the value of here. Held against the build without optimisation, stop by stop.
#include <gtest/gtest.h>

#include <regex>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

// What "value NAME" tells at each of six stops of a breakpoint at that line: "100  int …".
std::vector<std::string> told_at(const std::string& build, const std::string& line,
                                 const std::string& name, const std::string& program = "promoted") {
    std::vector<std::string> commands{"pause at " + program + ".c:" + line, "launch"};
    for (int stop = 0; stop < 6; ++stop) {
        commands.push_back("value " + name);
        commands.push_back("continue");
    }
    std::vector<std::string> told;
    std::regex wanted("^@\\d+ " + name + " = (.*)$");
    for (const std::string& each : lines_of(debug(fixture(program + "-" + build), commands).output))
        if (std::smatch match; std::regex_search(each, match, wanted)) told.push_back(match[1]);
    return told;
}

class LagsInLoop : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && std::string(GetParam()).starts_with("clang"))
            GTEST_SKIP() << "clang is not here";
    }
    std::string build() const { return GetParam(); }
    bool is_gcc() const { return build().starts_with("gcc"); }
    // A value without a doubt is that of the unoptimised build; says how many are doubted.
    unsigned doubted(const std::string& line, const std::string& name,
                     const std::string& program = "promoted") {
        auto truth = told_at("gcc-O0", line, name, program);
        auto told = told_at(build(), line, name, program);
        EXPECT_EQ(truth.size(), told.size()) << build() << line;
        unsigned count = 0;
        for (std::size_t stop = 0; stop < std::min(truth.size(), told.size()); ++stop) {
            bool is_doubted = told[stop].find("perhaps") != std::string::npos;
            count += is_doubted;
            bool is_true = told[stop].substr(0, told[stop].find("  ")) ==
                           truth[stop].substr(0, truth[stop].find("  "));
            EXPECT_TRUE(is_doubted || is_true)
                << build() << ":" << line << " stop " << stop << ": " << told[stop];
        }
        return count;
    }
    // It loads one of them at the line before the loop too: its stops are not those of the other.
    void keeps_none_in_a_register() {
        for (const char* name : {"heavy", "total_tons"})
            for (const std::string& told : told_at(build(), "14", name, "gauges"))
                EXPECT_EQ(told.find("perhaps"), std::string::npos) << told;
        for (const char* name : {"canal.lifted", "toll"})
            EXPECT_EQ(doubted("26", name, "gauges"), 0u);
    }
};

TEST_P(LagsInLoop, WhatMemoryHoldsMeanwhileIsDoubted) {
    EXPECT_GE(doubted("19", "total") + doubted("31", "left"), is_gcc() ? 12u : 0u);
    const char* wanted =
        "perhaps of before line 30: nothing on the way from there has stored what it set";
    for (const std::string& told : told_at(build(), "31", "left"))
        EXPECT_TRUE(!is_gcc() || told.find(wanted) != std::string::npos) << told;
}

TEST_P(LagsInLoop, WhatEachTurnStoresIsNot) {
    EXPECT_EQ(doubted("51", "told"), 0u);
    EXPECT_EQ(doubted("22", "total"), 0u) << "behind the loop it is stored";
}

TEST_P(LagsInLoop, SoIsAGlobalThatItKeepsInARegister) {
    if (build() == "clang-O2") return keeps_none_in_a_register();
    unsigned moved = build() == "gcc-O2" || build() == "gcc-O3" ? 6u : 0u;
    EXPECT_EQ(doubted("14", "heavy", "gauges"), is_gcc() ? 6u : 0u);
    EXPECT_EQ(doubted("26", "canal.lifted", "gauges"), moved);
    EXPECT_EQ(doubted("26", "toll", "gauges"), moved);
    EXPECT_EQ(doubted("14", "total_tons", "gauges"), 0u) << "each turn stores it";
    EXPECT_EQ(doubted("18", "heavy", "gauges"), 0u) << "behind the loop it is stored";
}

TEST(LagsBehind, AmongTheGlobalsItIsMarkedAndWhereALocalHasItsNameNot) {
    std::string program = fixture("gauges-gcc-O2");
    Ran in_loop = debug(program, {"pause at gauges.c:14 after 3", "launch", "globals heavy"});
    EXPECT_TRUE(in_loop.says("perhaps of before line 16: nothing on the way from there has stored"))
        << in_loop.output;
    Ran in_other = debug(program, {"pause at gauges.c:37 after 2", "launch", "globals heavy"});
    EXPECT_TRUE(in_other.says("  heavy  6  long int")) << in_other.output;
    EXPECT_FALSE(in_other.says("perhaps")) << in_other.output;
}

// What it holds is one of the sums of the turns.
TEST(LagsBehind, TheRegisterThatIsStoredNextIsNamed) {
    auto told = told_at("gcc-O2", "19", "total");
    ASSERT_GE(told.size(), 3u);
    unsigned named = 0;
    for (const std::string& each : told) {
        std::smatch match;
        std::regex wanted("; (rax|rbx), which is stored there next, holds (\\d+)$");
        if (!std::regex_search(each, match, wanted)) continue;
        ++named;
        const std::vector<std::string> sums{"0", "4", "10", "19", "20", "23", "30"};
        EXPECT_NE(std::find(sums.begin(), sums.end(), match[2]), sums.end()) << each;
    }
    EXPECT_GE(named, 3u);
}

TEST(LagsBehind, AMembersDoubtIsShownWithTheWhole) {
    std::vector<std::string> at{"pause at promoted.c:42", "launch", "locals", "value hold",
                                "value hold.tons"};
    std::string told = debug(fixture("promoted-gcc-O2"), at).output;
    EXPECT_NE(told.find("barges: perhaps of before line 42"), std::string::npos) << told;
    EXPECT_NE(told.find("tons: perhaps of before line 40"), std::string::npos) << told;
    EXPECT_NE(told.find("xmm1, which is stored there next, holds 4.5"), std::string::npos) << told;
    std::string one = told.substr(told.find("@2"));
    EXPECT_NE(one.find("hold.tons = 0.5  double  perhaps of before line 40"), std::string::npos)
        << told;
}

// Each of them is as doubtful as `total`, which is 0 in memory until the loop is over.
TEST(LagsBehind, WhatIsComputedFromItIsDoubtedToo) {
    const std::string doubt = "total: perhaps of before line 18: nothing on the way";
    std::string told = debug(fixture("promoted-gcc-O2"),
                             {"pause at promoted.c:18 after 3", "launch", "value total + 1",
                              "value total > 3 && i < 2", "value (total)", "value sizeof(total)",
                              "value &total", "value total as hex", "pin total * 2"})
                           .output;
    for (const char* line : {"total + 1 = 1  int  ", "total > 3 && i < 2 = 0  int  ",
                             "(total) = 0  int  ", "total * 2 = 0  "})
        EXPECT_NE(told.find(line + doubt), std::string::npos) << line << "\n" << told;
    EXPECT_NE(told.find("total = 0x0  int  perhaps of before line 18"), std::string::npos) << told;
    for (const std::string& line : lines_of(told)) {
        bool reads_nothing = line.find(" = 4  unsigned long") != std::string::npos ||
                             line.find("int *") != std::string::npos;
        EXPECT_FALSE(reads_nothing && line.find("perhaps") != std::string::npos) << line;
    }
}

// The sum is more than 3 in most turns, as the unoptimised build stops.
TEST(LagsBehind, AConditionThatItMakesFailIsTold) {
    std::vector<std::string> commands{"pause at promoted.c:18 when total > 3", "launch"};
    Ran truth = debug(fixture("promoted-gcc-O0"), commands);
    EXPECT_TRUE(truth.says("breakpoint 1")) << truth.output;
    EXPECT_FALSE(truth.says("doubtful")) << truth.output;
    commands.push_back("breakpoints");
    Ran ran = debug(fixture("promoted-gcc-O2"), commands);
    EXPECT_TRUE(
        ran.says("breakpoint 1 has only been passed, and what its condition reads was "
                 "doubtful: total: perhaps of before line 18"))
        << ran.output;
    EXPECT_TRUE(ran.says("what it reads was doubtful at its first hit: total: perhaps"))
        << ran.output;
    Ran met = debug(fixture("promoted-gcc-O2"),
                    {"pause at promoted.c:18 when total == 0 && i > 0", "launch"});
    EXPECT_TRUE(
        met.says("what the condition of breakpoint 1 reads is doubtful here: total: perhaps"))
        << met.output;
    Ran plain = debug(fixture("promoted-gcc-O2"), {"pause at promoted.c:18 when i == 2", "launch"});
    EXPECT_FALSE(plain.says("doubtful")) << plain.output;
}

// Its writes come when the loop is over.
TEST(LagsBehind, WhoWatchesItIsTold) {
    std::vector<std::string> commands{"pause at promoted.c:18 after 2", "launch",
                                      "pause on write total"};
    EXPECT_TRUE(debug(fixture("promoted-gcc-O2"), commands)
                    .says("what is watched is doubtful here: total: perhaps of before line 18"));
    EXPECT_FALSE(debug(fixture("promoted-gcc-O0"), commands).says("doubtful"));
}

TEST(LagsBehind, ANoteThatGathersItSaysSo) {
    std::vector<std::string> commands{"note at promoted.c:18 total, i", "launch", "notes"};
    const std::string wanted =
        "what note 1 reads was doubtful at its first hit: total: perhaps of before line 18";
    EXPECT_TRUE(debug(fixture("promoted-gcc-O2"), commands).says(wanted));
    EXPECT_FALSE(debug(fixture("promoted-gcc-O0"), commands).says("doubtful"));
}

INSTANTIATE_TEST_SUITE_P(Builds, LagsInLoop,
                         ::testing::Values("gcc-O1", "gcc-O2", "gcc-O3", "clang-O1", "clang-O2"));

}  // namespace
}  // namespace lantern::testing
