// Programs that are built with one of the compilers' sanitizers. The witness is what the program
// reports when it runs alone.
#include <gtest/gtest.h>

#include <regex>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

struct Sanitized {
    const char *kind, *argument;
    const char *said, *stopped;  // by the program alone; by the stop
    const char* function;
};

void PrintTo(const Sanitized& each, std::ostream* out) {
    *out << each.kind << ' ' << each.argument;
}

class SanitizedPrograms : public ::testing::TestWithParam<Sanitized> {
  protected:
    std::string program() const { return fixture(std::string("sanitized-") + GetParam().kind); }
};

// Whoever runs these tests may have wishes of his own for the sanitizers.
const std::vector<std::string> kNoWishes = {
    "--env=ASAN_OPTIONS=", "--env=UBSAN_OPTIONS=", "--env=TSAN_OPTIONS="};
Ran run_alone(const std::string& program, const std::string& argument) {
    return run({"/usr/bin/env", "-u", "ASAN_OPTIONS", "-u", "UBSAN_OPTIONS", "-u", "TSAN_OPTIONS",
                program, argument});
}

std::string line_in(const std::string& report) {
    std::smatch found;
    return std::regex_search(report, found, std::regex("sanitized\\.c:([0-9]+)")) ? found[1].str()
                                                                                  : "";
}

// The first line of the source that the program itself names, alone, is where it stops.
TEST_P(SanitizedPrograms, StopAtTheirReportsInTheUsersOwnLine) {
    Ran alone = run_alone(program(), GetParam().argument);
    std::size_t said = alone.errors.find(GetParam().said);
    ASSERT_NE(said, std::string::npos) << alone.errors;
    Ran ran = debug(program(), {std::string("launch ") + GetParam().argument, "stack"}, kNoWishes);
    EXPECT_TRUE(ran.says("a sanitizer reports a fault")) << ran.output;
    EXPECT_TRUE(ran.says(GetParam().stopped)) << ran.output;
    EXPECT_TRUE(ran.says(std::string("─ ") + GetParam().function + " ─")) << ran.output;
    EXPECT_EQ(line_in(ran.output.substr(ran.output.find("a sanitizer reports"))),
              line_in(alone.errors.substr(std::string(GetParam().kind) == "undefined" ? 0 : said)))
        << ran.output << alone.errors;
}

TEST_P(SanitizedPrograms, AreDiagnosed) {
    Ran ran = run({LANTERN_PROGRAM, "diagnose", program(), "--", GetParam().argument});
    EXPECT_EQ(ran.status, 1) << ran.output;
    EXPECT_TRUE(ran.says("the sanitizer that it is built with reports: ")) << ran.output;
    EXPECT_TRUE(ran.says(std::string(GetParam().function) + ", sanitized.c:")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(
    Kinds, SanitizedPrograms,
    ::testing::Values(Sanitized{"address", "behind", "AddressSanitizer: heap-buffer-overflow",
                                "report    AddressSanitizer: heap-buffer-overflow", "sum_of"},
                      Sanitized{"undefined", "undefined", "signed integer overflow",
                                "report    UndefinedBehaviorSanitizer", "scaled"},
                      Sanitized{"thread", "race", "ThreadSanitizer: data race",
                                "report    ThreadSanitizer: data race", "pass"}),
    [](const auto& info) { return std::string(info.param.kind); });

// Each fault once, and the program goes on to its end.
TEST(SanitizedProgram, GoesOnBehindAReportOfUndefinedBehaviour) {
    Ran ran = debug(fixture("sanitized-undefined"),
                    {"launch undefined", "locals", "continue", "continue"}, kNoWishes);
    EXPECT_TRUE(ran.says("level   2000000000")) << ran.output;
    EXPECT_TRUE(ran.says("─ shifted ─")) << ran.output;
    EXPECT_TRUE(ran.says("the program has ended, exit status 0")) << ran.output;
    EXPECT_EQ(std::ranges::count_if(lines_of(ran.output),
                                    [](const std::string& line) {
                                        return line.find("a sanitizer reports") != line.npos;
                                    }),
              2)
        << ran.output;
}

// Its check for leaks wants to trace the process, which somebody traces already: it would end the
// program with a status that it has not alone.
TEST(SanitizedProgram, EndsAsAloneWhereItIsInnocent) {
    for (const char* kind : {"address", "leak", "thread", "undefined"}) {
        std::string program = fixture(std::string("sanitized-") + kind);
        Ran alone = run({program});
        EXPECT_EQ(alone.status, 0) << kind << alone.errors;
        Ran ran = debug(program, {"launch"});
        EXPECT_TRUE(ran.says("the program has ended, exit status 0")) << kind << ran.output;
        EXPECT_FALSE(ran.says("a sanitizer reports a fault")) << kind << ran.output;
        EXPECT_EQ(ran.errors.find("ptrace"), std::string::npos) << kind << ran.errors;
    }
}

// A leak is what the debugger cannot let it look for: it says so, and does not call it well.
TEST(SanitizedProgram, IsSaidNotToBeLookedAtForLeaks) {
    Ran ran = debug(fixture("sanitized-leak"), {"launch leak"});
    EXPECT_TRUE(ran.says("its check for leaks does not work under a debugger")) << ran.output;
    EXPECT_TRUE(ran.says("LSAN_OPTIONS")) << ran.output;
    Ran given = run({"/usr/bin/env", "LSAN_OPTIONS=detect_leaks=1", LANTERN_PROGRAM, "debug",
                     fixture("sanitized-leak"), "--do", "launch"});
    EXPECT_FALSE(given.says("its check for leaks")) << given.output;  // the user has decided
}

TEST(SanitizedProgram, IsRefusedAsAHeapToWatch) {
    Ran ran = run({LANTERN_PROGRAM, "heap", fixture("sanitized-address")});
    EXPECT_NE(ran.status, 0);
    EXPECT_NE((ran.output + ran.errors).find("brings an allocator of its own"), std::string::npos)
        << ran.output << ran.errors;
    EXPECT_TRUE(
        run({LANTERN_PROGRAM, "survey", fixture("sanitized-thread")}).says("ThreadSanitizer"));
    EXPECT_FALSE(run({LANTERN_PROGRAM, "survey", fixture("removed-gcc")}).says("anitizer"));
    Ran plain = debug(fixture("removed-gcc"), {"pause on sanitizer", "launch"});
    EXPECT_TRUE(plain.says("no loaded module has")) << plain.output << plain.errors;
}

}  // namespace
}  // namespace lantern::testing
