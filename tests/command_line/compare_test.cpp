// elm-lantern compare on pairs of builds that part at a place that is known from their sources
// (tests/programs/parting), and on innocent pairs, of which nothing may be told.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

struct Pair {
    const char* name;
    std::vector<std::string> told;  // what must be said of where they part
    std::vector<std::string> options = {};
    std::string input = {};  // for `--stdin` of each side, by file: "a" and "b" are written
};

std::ostream& operator<<(std::ostream& out, const Pair& pair) {
    return out << pair.name;
}

const Pair kPairs[] = {
    {"alias", {"the 1st call of mark returns 1073741824 in A and 1 in B", "alias.c:12"}},
    {"alias-clang", {"the 1st call of mark returns 1073741824 in A and 1 in B"}},
    {"overflow",
     {"the 1st call of is_later returns 0 in A and 1 in B", "is_later(minute = 2147483647)"}},
    {"overflow-O3", {"the 1st call of is_later returns 0 in A and 1 in B"}},
    {"overflow-clang",
     {"A  \"4 are later\\n\"", "B  \"5 are later\\n\"", "calls that B does not make: is_later"}},
    {"unset",
     {"the 3rd call of toll returns", "A by itself gives something else here",
      "perhaps never set when it returns: due"}},
    {"unset-O3", {"the 3rd call of toll returns", "A by itself gives something else here"}},
    {"jump_back", {"the 1st call of attempts returns 21 in A and 20 in B"}},
    {"jump_back-O3", {"the 1st call of attempts returns 21 in A and 20 in B"}},
    {"only_prints",
     {"line 2 of what is written to the standard output differs", "A  \"at ease\\n\"",
      "B  \"in haste\\n\""}},
    {"only_errors",
     {"line 1 of what is written to the standard error differs", "A  nothing more",
      "B  \"the gate sticks\\n\""}},
    {"scattered", {"A  \"barge Wren\\n\"", "B  \"barge Teal\\n\""}},
    {"status", {"the 1st call of main returns 0 in A and 3 in B"}},
    {"minimum", {"the 2nd call of is_below returns 1 in A and 0 in B"}},
    {"renamed", {"the 2nd call of is_below returns 1 in A and 0 in B"}},
    {"minimum-O3", {"A  \"1\\n\"", "B  \"0\\n\""}},
    {"minimum-clang", {"A  \"1\\n\"", "B  \"0\\n\"", "calls that B does not make: is_below"}},
    {"deep", {"A gets SIGSEGV, B sink returns 4501500", "SIGSEGV ended it"}},
    {"checked", {"in the 1st call of flow the argument gates is 1 in A and 0 in B"}},
    {"reassociated", {"the 1st call of total returns 3200000000 in A and 3200001024 in B"}},
    {"no_number",
     {"line 1 of what is written to the standard output differs", "A  \"1 missing\\n\""}},
    {"extended", {"the 1st call of share returns 0 in A and -5.55"}},
    {"letters", {"in the 4th call of depth_of the argument code is -106 in A and 150 in B"}},
    {"constants", {"the 2nd call of fall_of returns 34 in A and 30 in B"}},
    {"small_kinds", {"in the 1st call of paid the argument passage is", "paid = -1"}},
    {"steps",
     {"they go another way: A enters step(), B enters settle()", "steps.c:12",
      "nothing that they compute or write differs"}},
    {"link_order", {"the 1st call of capacity returns 0 in A and 36 in B"}},
    {"unset_member",
     {"in the 1st call of room the argument gate is", "by itself gives something else here"}},
    {"text_keys", {"the 2nd call of label returns \"Heron\" in A and \"Hero\" in B"}},
    {"thrown", {"A toll is left without returning", "B toll returns 6", "toll(kind = 2)"}},
    {"order", {"in the 1st call of pair_up the argument left is 2 in A and 1 in B"}},
    {"sum_up", {"A sum_up::plus is left without returning", "B sum_up::plus returns 0"}},
    {"asserted", {"the 1st call of asserted::limit returns 10 in A and 15 in B"}},
    {"sheet",
     {"the 3rd call of read_level returns 90 in A and 120 in B"},
     {"--with", "A:stdin=a", "--with", "B:stdin=b"}},
    {"sheet",
     {"in the 1st call of limit_of the argument given is \"5\" in A and \"100\" in B"},
     {"--with", "A:LIMIT=5", "--with", "B:LIMIT=100", "--stdin", "a"}},
    {"sheet",
     {"in the 1st call of limit_of the argument given is \"50\" in A and \"70\" in B"},
     {"--with", "A:arguments=50", "--with", "B:arguments=70", "--stdin", "a"}},
};

const char* const kInnocent[] = {
    "same_addresses",  "same_addresses-clang", "same_times",         "same_times-clang",
    "same_padding",    "same_padding-O3",      "same_padding-clang", "same_threads",
    "same_calls",      "same_calls-O3",        "same_calls-clang",   "same_sets",
    "same_sets-clang", "same_chance",          "same_handlers",
};

bool is_built(const std::string& name) {
    return std::filesystem::exists(fixture("parting-" + name + "-a"));
}

Ran compare(const std::string& name, std::vector<std::string> options, const TemporaryFolder& in) {
    std::vector<std::string> words{LANTERN_PROGRAM, "compare", fixture("parting-" + name + "-a"),
                                   fixture("parting-" + name + "-b"), "--run"};
    words.insert(words.end(), options.begin(), options.end());
    return run(words, "", in.path());
}

class Parting : public ::testing::TestWithParam<Pair> {};

TEST_P(Parting, IsFoundAtItsPlace) {
    const Pair& pair = GetParam();
    if (!is_built(pair.name)) GTEST_SKIP() << "its compiler is not here";
    TemporaryFolder folder;
    folder.write("a", "10\n20\n90\n40\n");
    folder.write("b", "10\n20\n120\n40\n");
    Ran ran = compare(pair.name, pair.options, folder);
    for (const std::string& each : pair.told)
        EXPECT_TRUE(ran.says(each)) << each << "\n" << ran.output << ran.errors;
    bool heals = ran.says("nothing that they compute or write differs");
    EXPECT_EQ(ran.status, heals ? 0 : 1) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compare, Parting, ::testing::ValuesIn(kPairs), [](const auto& info) {
    std::string name = info.param.name + std::to_string(info.index);
    std::replace(name.begin(), name.end(), '-', '_');
    return name;
});

class InnocentPair : public ::testing::TestWithParam<const char*> {};

TEST_P(InnocentPair, DoesNotPart) {
    if (!is_built(GetParam())) GTEST_SKIP() << "its compiler is not here";
    TemporaryFolder folder;
    Ran ran = compare(GetParam(), {}, folder);
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("nothing differs")) << ran.output << ran.errors;
}

INSTANTIATE_TEST_SUITE_P(Compare, InnocentPair, ::testing::ValuesIn(kInnocent),
                         [](const auto& info) { return as_test_name(info.param); });

TEST(Compare, FollowsOneThreadByItsNameWhereItsNumberIsAnother) {
    TemporaryFolder folder;
    Ran lower = compare("named_threads", {"--thread", "lower"}, folder);
    EXPECT_EQ(lower.status, 1) << lower.output << lower.errors;
    EXPECT_TRUE(lower.says("the 4th call of passages in its thread returns 13 in A and 14 in B"))
        << lower.output;
    EXPECT_TRUE(lower.says("turn  3  ")) << "the stop is in that call: " << lower.output;
    Ran upper = compare("named_threads", {"--thread", "upper"}, folder);
    EXPECT_EQ(upper.status, 0) << upper.output << upper.errors;
    EXPECT_TRUE(upper.says("nothing differs")) << upper.output;
    Ran nobody = compare("named_threads", {"--thread", "middle"}, folder);
    EXPECT_TRUE(nobody.says("A has run no thread middle that was walked")) << nobody.errors;
}

// The sizes are those that nm tells, the lines those that objdump does.
TEST(Compare, TellsSizesAsTheLinkerHasThem) {
    std::vector<std::string> programs{fixture("parting-unset-a"), fixture("parting-unset-b")};
    Ran ran = run({LANTERN_PROGRAM, "compare", programs[0], programs[1], "--format", "json"});
    ASSERT_EQ(ran.status, 0) << ran.errors;
    for (const char* function : {"toll", "speak", "main"})
        for (unsigned side : {0u, 1u}) {
            std::string symbols = run({"nm", "-S", programs[side]}).output;
            std::size_t end = symbols.find(std::string(" T ") + function + "\n");
            ASSERT_NE(end, std::string::npos) << symbols;
            std::uint64_t size = std::stoull(symbols.substr(end - 16, 16), nullptr, 16);
            std::size_t row = ran.output.find("\"name\":\"" + std::string(function) + "\"");
            ASSERT_NE(row, std::string::npos) << ran.output;
            std::size_t at = ran.output.find(side ? "\"b\":{\"bytes\":" : "\"a\":{\"bytes\":", row);
            EXPECT_EQ(std::stoull(ran.output.substr(at + 13)), size) << function << side;
        }
}

TEST(Compare, OneBuildAloneWalksWithTwoInputs) {
    TemporaryFolder folder;
    folder.write("a", "7\n8\n");
    folder.write("b", "7\n9\n");
    Ran ran = run({LANTERN_PROGRAM, "compare", fixture("parting-sheet-b"), "--with", "A:stdin=a",
                   "--with", "B:stdin=b"},
                  "", folder.path());
    EXPECT_EQ(ran.status, 1);
    EXPECT_TRUE(ran.says("the 2nd call of read_level returns 8 in A and 9 in B")) << ran.output;
    EXPECT_FALSE(ran.says("Side by side")) << ran.output;
}

TEST(Compare, WithinAFunctionAndOfSomeFunctionsOnly) {
    TemporaryFolder folder;
    Ran within = compare("unset", {"--within", "speak"}, folder);
    EXPECT_TRUE(within.says("3 calls that both make")) << within.output;
    EXPECT_EQ(within.status, 1) << within.output;  // what is written differs all the same
    Ran some = compare("unset", {"--functions", "main"}, folder);
    EXPECT_TRUE(some.says("1 call that both make, of 1 function")) << some.output;
    Ran none = compare("unset", {"--within", "no_such"}, folder);
    EXPECT_EQ(none.status, 3);
    EXPECT_TRUE(none.says("no_such is no function that both builds have")) << none.output;
}

TEST(Compare, KeepsTextJsonAPageAndWhatWasWritten) {
    TemporaryFolder folder;
    Ran ran = compare("only_prints", {"--out", "kept"}, folder);
    EXPECT_EQ(ran.status, 1);
    EXPECT_NE(folder.read("kept/comparison.txt").find("in haste"), std::string::npos);
    EXPECT_NE(folder.read("kept/comparison.json").find("\"differs\":\"written\""),
              std::string::npos);
    EXPECT_NE(folder.read("kept/comparison.html").find("<h2>Walked in step</h2>"),
              std::string::npos);
    EXPECT_EQ(folder.read("kept/a.output.txt"), "the day begins\nat ease\nthe day ends\n");
    EXPECT_EQ(folder.read("kept/b.output.txt"), "the day begins\nin haste\nthe day ends\n");
}

TEST(Compare, InputThroughAPipeIsReadByEachRun) {
    Ran ran = run({LANTERN_PROGRAM, "compare", fixture("parting-sheet-a"),
                   fixture("parting-sheet-b"), "--run"},
                  "5\n6\n7\n");
    EXPECT_TRUE(ran.says("nothing differs")) << ran.output << ran.errors;
    EXPECT_TRUE(ran.says("of 4 functions")) << ran.output;
}

// All but main is inlined in the release build: what differs is only what it writes. The debug
// build against itself tells where that comes from.
TEST(Compare, LeadsToWhereMemoryThatNothingHasSetIsTakenUp) {
    Ran ran = run({LANTERN_PROGRAM, "compare", std::string(DEMO_FOLDER "/tollhouse"),
                   std::string(DEMO_FOLDER "/tollhouse-fast"), "--run"});
    EXPECT_EQ(ran.status, 1);
    for (const char* each :
         {"line 1 of what is written to the standard output differs",
          "A by itself gives something else here", "the 4th call of rate_of returns",
          "called at tollhouse.c:34", "perhaps never set when it returns: rate", "kind = PUNT (2)"})
        EXPECT_TRUE(ran.says(each)) << each << "\n" << ran.output;
}

TEST(Compare, StaysWithBothSidesWhereTheyPart) {
    Ran ran = run({LANTERN_PROGRAM,
                   "compare",
                   fixture("parting-unset-a"),
                   fixture("parting-unset-b"),
                   "--run",
                   "--stay",
                   "--do",
                   "processes",
                   "--do",
                   "value kind",
                   "--do",
                   "out",
                   "--do",
                   "process 2",
                   "--do",
                   "value kind",
                   "--do",
                   "out",
                   "--do",
                   "quit"});
    std::size_t first = ran.output.find("toll(kind = 3)"), stay = ran.output.find("process 1");
    ASSERT_NE(first, std::string::npos) << ran.output;
    ASSERT_NE(stay, std::string::npos) << ran.output;
    std::string after = ran.output.substr(stay);
    std::size_t a = after.find("returned  32 from toll"), b = after.find("returned  10 from toll");
    EXPECT_NE(a, std::string::npos) << after;
    EXPECT_NE(b, std::string::npos) << after;
    EXPECT_NE(a, b) << after;
    EXPECT_NE(after.find("parting-unset-b"), std::string::npos) << after;
}

TEST(Compare, RefusesWhatItCannotUse) {
    std::string program = fixture("parting-unset-a");
    EXPECT_EQ(run({LANTERN_PROGRAM, "compare", program}).status, 2);
    EXPECT_EQ(run({LANTERN_PROGRAM, "compare", program, program, "--with", "C:X=1"}).status, 2);
    EXPECT_EQ(run({LANTERN_PROGRAM, "debug", program, "--within", "main"}).status, 2);
    Ran bare = run({LANTERN_PROGRAM, "compare", program, "/bin/true"});
    EXPECT_EQ(bare.status, 3);
    EXPECT_TRUE(bare.says("has no symbols to compare it by")) << bare.output;
}

}  // namespace
}  // namespace lantern::testing
