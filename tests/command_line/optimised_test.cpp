// Optimised code at the built program's prompt: stops, steps and frames at one address, several
// breakpoints there, and what is printed.
#include <gtest/gtest.h>

#include <regex>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

std::string demo(const std::string& program) {
    std::string lockflow(DEMO_PROGRAM);
    return lockflow.substr(0, lockflow.rfind('/') + 1) + program;
}

Ran on_daybook(const std::vector<std::string>& commands) {
    return debug(demo("daybook"), commands, {"--stdout", "/dev/null"});
}

// The program counters that `registers rip` printed, in order.
std::vector<std::string> counters(const std::string& output) {
    std::vector<std::string> found;
    static const std::regex counter(R"(  rip  (?:0x[0-9a-f]+ → )?(0x[0-9a-f]+))");
    for (std::sregex_iterator at(output.begin(), output.end(), counter), end; at != end; ++at)
        found.push_back((*at)[1]);
    return found;
}

TEST(Optimised, BeforeAnInlinedCallAndInsideOfItAtOneAddress) {
    Ran ran =
        on_daybook({"pause at daybook.cpp:32", "launch", "registers rip", "stack", "value pence",
                    "into", "registers rip", "stack", "value passage.draught_cm"});
    EXPECT_EQ(ran.status, 0) << ran.errors;
    auto at = counters(ran.output);
    ASSERT_EQ(at.size(), 2u) << ran.output;
    EXPECT_EQ(at[0], at[1]) << "nothing has run";
    EXPECT_TRUE(ran.says("breakpoint 1 ─ (anonymous)::takings"));
    EXPECT_TRUE(ran.says("step done ─ (anonymous)::toll"));
    EXPECT_TRUE(ran.says("passage.draught_cm = 95"));
    // One frame more, and the caller's line is the one it stood at.
    std::size_t first = ran.output.find("◆ 0  (anonymous)::takings"),
                second = ran.output.find("◆ 0  (anonymous)::toll");
    ASSERT_NE(first, std::string::npos) << ran.output;
    ASSERT_NE(second, std::string::npos) << ran.output;
    EXPECT_LT(first, second);
    EXPECT_NE(ran.output.find("1  (anonymous)::takings", second), std::string::npos);
}

TEST(Optimised, OverPassesAnInlinedCallAndOutLeavesIt) {
    Ran ran = on_daybook({"pause at daybook.cpp:32", "launch", "over", "value pence", "continue",
                          "into", "out", "value sum"});
    EXPECT_EQ(ran.status, 0) << ran.errors;
    EXPECT_TRUE(ran.says("daybook.cpp:33")) << ran.output;
    EXPECT_TRUE(ran.says("pence = 0  int")) << "half of one passage";
    EXPECT_TRUE(ran.says("(anonymous)::toll has returned ─ (anonymous)::takings")) << ran.output;
}

// Two breakpoints at one address, each with a condition of its own scope, are met one after the
// other with nothing run between.
TEST(Optimised, BreakpointsAtOneAddressAreMetInOrder) {
    Ran ran = on_daybook({"pause at daybook.cpp:32 when sum == 1",
                          "pause at toll when passage.draught_cm == 95", "launch", "continue",
                          "breakpoints"});
    EXPECT_EQ(ran.status, 0) << ran.errors << ran.output;
    EXPECT_TRUE(ran.says("breakpoint 2 ─ (anonymous)::toll")) << ran.output;
    EXPECT_FALSE(ran.says("cannot be computed")) << ran.output;
    // The sum is 0, 0 and 1 before the first three passages, of Wren, Heron and Wren: the third
    // stops at the outer one first.
    EXPECT_TRUE(
        std::regex_search(ran.output, std::regex(R"(1  daybook\.cpp:32 +1 hit, passed 2 times)")))
        << ran.output;
    EXPECT_TRUE(std::regex_search(ran.output, std::regex(R"(2  toll +1 hit, passed 1 time )")))
        << ran.output;
    EXPECT_LT(ran.output.find("breakpoint 2 ─ (anonymous)::toll"),
              ran.output.find("breakpoint 1 ─ (anonymous)::takings"));
    Ran both = on_daybook({"pause at daybook.cpp:32", "pause at toll", "launch", "registers rip",
                           "continue", "registers rip", "continue", "registers rip"});
    auto at = counters(both.output);
    ASSERT_EQ(at.size(), 3u) << both.output;
    EXPECT_EQ(at[0], at[1]);
    EXPECT_TRUE(both.says("breakpoint 1 ─ (anonymous)::takings"));
    EXPECT_TRUE(both.says("breakpoint 2 ─ (anonymous)::toll"));
}

TEST(Optimised, ABreakpointIsTheSameBeforeAndAfterLaunch) {
    Ran before =
        debug(fixture("day-cpp-gcc-O2"),
              {"pause at day.cpp:76", "pause at toll_of", "pause at obey", "launch", "breakpoints"},
              {"--stdout", "/dev/null"});
    EXPECT_FALSE(before.says("waits")) << before.output;
    EXPECT_TRUE(before.says("day.cpp:76  in canal::longest_name")) << before.output;
    EXPECT_TRUE(before.says("in canal::toll_of, inlined into")) << before.output;
    Ran away = debug(fixture("day-cpp-gcc-O2"), {"-pause at larger"});
    EXPECT_NE((away.output + away.errors).find("the compiler has computed it away"),
              std::string::npos);
    EXPECT_FALSE(before.says("stl_vector.h:76"));
}

// The heading's file has the heading's line, and the function is one of that file: the library's
// lines are never told with the user's names.
TEST(Optimised, AHeadingNamesTheFunctionOfItsLine) {
    Ran ran = debug(fixture("day-cpp-gcc-O2"),
                    {"pause at main", "launch", "into anyway", "into anyway", "into anyway",
                     "into anyway", "into anyway", "into anyway", "into anyway", "into anyway"},
                    {"--stdout", "/dev/null", "--format", "json"});
    static const std::regex stop(
        R"re("kind":"stop".*?"function":"([^"]*)".*?"file":"([^"]*)","line":(\d+))re");
    unsigned stops = 0;
    for (const std::string& line : lines_of(ran.output)) {
        std::smatch parts;
        if (!std::regex_search(line, parts, stop)) continue;
        ++stops;
        std::string function = parts[1], file = parts[2];
        bool is_users = function == "main" || function.starts_with("canal::");
        EXPECT_EQ(file.ends_with("/day.cpp"), is_users) << line;
    }
    EXPECT_GE(stops, 8u) << ran.output;
}

// gcc loses the record of calls that it unrolls whole: whose line it is is inferred, and said to
// be.
TEST(Optimised, ACallWithoutARecordSaysThatItIsInferred) {
    Ran ran = debug(fixture("day-c-gcc-O3"), {"pause at day.c:69", "launch", "continue", "stack"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("─ sum_levels")) << ran.output;
    EXPECT_TRUE(ran.says(
        "no record of this inlined call: that it is sum_levels is told by the source line alone"))
        << ran.output;
    EXPECT_FALSE(debug(fixture("day-c-gcc-O1"), {"pause at day.c:69", "launch", "stack"},
                       {"--stdout", "/dev/null"})
                     .says("no record"));
}

TEST(Optimised, NamesThatArePrintedCanBeTyped) {
    Ran ran = debug(fixture("names-gcc"),
                    {"pause at over(double)", "pause at canal::over(const char*, int)",
                     "pause at canal::Queue<int, 4>::first", "pause at main::(lambda)::operator()",
                     "pause at (anonymous)::Lock::operator bool", "pause at operator+",
                     "pause at larger<double>", "breakpoints", "launch"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.errors;
    EXPECT_TRUE(ran.says("▪7 breakpoint 7"));
    Ran refused = debug(fixture("names-gcc"), {"-pause at over(float)", "-pause at fill for"});
    EXPECT_TRUE(refused.says("no function over(float)") ||
                refused.errors.find("no function over(float)") != std::string::npos)
        << refused.output << refused.errors;
}

// How often a breakpoint on a function was passed, by the function's name.
std::map<std::string, int> passes_in(const std::string& output) {
    std::map<std::string, int> passes;
    static const std::regex row(R"((\w+) +0 hits, passed (\d+) times)");
    for (std::sregex_iterator at(output.begin(), output.end(), row), end; at != end; ++at)
        passes[(*at)[1]] = std::stoi((*at)[2]);
    return passes;
}

class Entered : public ::testing::TestWithParam<const char*> {};

// A call of a function is met once, however it was inlined, copied or threaded. The program counts
// its own calls.
TEST_P(Entered, AFunctionIsMetOnceForEachCall) {
    std::string program = std::string("entered-") + GetParam();
    bool is_of_clang = program.find("clang") != std::string::npos;
    if (is_of_clang && !HAVE_CLANG) GTEST_SKIP() << "clang is not here";
    std::map<std::string, std::string> told = printed_facts(run({fixture(program)}).output);
    std::vector<std::string> commands;
    for (const char* function : {"half", "simple", "taken", "is_letter"})
        commands.push_back(std::string("pause at ") + function + " after 100000");
    commands.insert(commands.end(), {"launch", "breakpoints"});
    Ran ran = debug(fixture(program), commands, {"--stdout", "/dev/null"});
    std::map<std::string, int> passes = passes_in(ran.output);
    for (const char* function : {"simple", "taken", "is_letter"}) {
        int calls = std::stoi(told[function]);
        EXPECT_GE(passes[function], calls) << function << ran.output;
        // What other code shares with a copy of it may be met for that, too.
        EXPECT_LE(passes[function], is_of_clang ? 2 * calls : calls) << function;
    }
    // gcc -O3 keeps no record of some of its copies.
    if (program == "entered-gcc-O3") return;
    EXPECT_GE(passes["half"], std::stoi(told["half"])) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compilers, Entered,
                         ::testing::Values("gcc-O1", "gcc-O2", "gcc-O3", "clang-O1", "clang-O2",
                                           "clang-O3"),
                         [](const auto& info) {
                             std::string name = info.param;
                             std::ranges::replace(name, '-', '_');
                             return name;
                         });

TEST(Demo, FindsTheArgumentsTheWrongWayRound) {
    Ran ran = run({LANTERN_PROGRAM, "debug", demo("daybook"), "--stdout", "/dev/null", "--script",
                   SOURCE_FOLDER "/demo/low-takings.lantern"});
    EXPECT_EQ(ran.status, 0) << ran.output << ran.errors;
    EXPECT_TRUE(ran.says("in (anonymous)::takings, inlined into main"));
    EXPECT_TRUE(ran.says("step done ─ (anonymous)::rebate"));
    EXPECT_TRUE(ran.says("int due = rebate(pence, passage.passages);"));
    auto at = counters(ran.output);
    ASSERT_EQ(at.size(), 2u);
    EXPECT_EQ(at[0], at[1]);
}

}  // namespace
}  // namespace lantern::testing
