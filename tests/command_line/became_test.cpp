// `became`, driven as users do: from the shell, in a session, with what the compilers wrote.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <regex>
#include <set>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

Ran became(const std::vector<std::string>& words) {
    std::vector<std::string> all{LANTERN_PROGRAM, "became"};
    all.insert(all.end(), words.begin(), words.end());
    return run(all);
}

const std::string kWeir = DEMO_FOLDER "/weir";

TEST(BecameCommand, TellsEachStatementFromTheShell) {
    Ran ran = became({kWeir, "headroom", "overflow_of"});
    EXPECT_EQ(ran.status, 0) << ran.output << ran.errors;
    EXPECT_TRUE(ran.says("headroom ─")) << ran.output;
    EXPECT_TRUE(ran.says("none              if (gauge == NULL)")) << ran.output;
    EXPECT_TRUE(ran.says("possible: line 20 follows gauge before it is checked")) << ran.output;
    EXPECT_TRUE(ran.says("overflow_of ─")) << ran.output;
    EXPECT_TRUE(ran.says("total += flows[i];")) << ran.output;
}

TEST(BecameCommand, TellsOfTheSelectedFrameInASession) {
    Ran ran = debug(kWeir, {"pause at overflow_of", "launch", "became", "caller", "became"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    std::size_t own = ran.output.find("instructions of"),
                of_main = ran.output.find("int main(void)", own);
    ASSERT_NE(own, std::string::npos) << ran.output;
    EXPECT_NE(of_main, std::string::npos) << ran.output;
}

TEST(BecameCommand, TellsWhatTheCompilerWroteWhereItIsNamed) {
    std::string program = fixture("loops-gcc-O3"),
                records = fixture("loops-gcc-O3-loops.c.opt-record.json.gz");
    EXPECT_FALSE(became({program, "copied"}).says("the compiler says"));
    Ran ran = became({program, "doubled", "--records", records});
    EXPECT_TRUE(
        ran.says("the compiler says: loop vectorized using 16 byte vectors; that is, one "
                 "pass does several of the source's at once"))
        << ran.output;
    Ran in_session = debug(program, {"became doubled"}, {"--records", records});
    EXPECT_TRUE(in_session.says("the compiler says: loop vectorized")) << in_session.output;
    Ran missing = became({program, "doubled", "--records", "/nowhere/at/all"});
    EXPECT_NE(missing.status, 0);
    EXPECT_NE((missing.output + missing.errors).find("/nowhere/at/all cannot be read"),
              std::string::npos)
        << missing.output << missing.errors;
}

TEST(BecameCommand, RefusesWithWhatToDo) {
    Ran nothing = became({kWeir});
    EXPECT_NE(nothing.status, 0);
    EXPECT_NE((nothing.output + nothing.errors).find("elm-lantern became PROGRAM FUNCTION"),
              std::string::npos);
    Ran inlined = became({kWeir, "rounded"});
    EXPECT_NE(inlined.status, 0) << "its call has gone, and its code with it";
    Ran before = debug(kWeir, {"-became"});
    EXPECT_TRUE(before.says("there is no function here")) << before.output;
    EXPECT_TRUE(before.says("became FUNCTION, for example")) << before.output;
    Ran only_copies = became({fixture("barges-gccO25/barges"), "no_such_function"});
    EXPECT_NE(only_copies.status, 0);
}

TEST(BecameCommand, WritesJsonByItsSchema) {
    Ran ran = became({kWeir, "headroom", "--format", "json"});
    EXPECT_TRUE(ran.says("\"kind\":\"became\"")) << ran.output;
    EXPECT_TRUE(ran.says("\"without_code\":true")) << ran.output;
    EXPECT_TRUE(ran.says("\"ground\":\"possible\"")) << ran.output;
}

// ---- a variable that has no place here: where it has one

// At the start of each function of the day's program: each variable without a value whose nearest
// place is told has one when the program gets there.
class Nearest : public ::testing::TestWithParam<const char*> {};

TEST_P(Nearest, PlaceOfAVariableHasItsValue) {
    std::string program = fixture(GetParam());
    const std::vector<std::string> quiet{"--stdout", "/dev/null"};
    const std::regex without_value(R"(\n  (\w+) +no value)"),
        place(R"(reach address (0x[0-9a-f]+))");
    unsigned reached = 0;
    for (const char* function :
         {"prepare", "sum_levels", "weigh", "sort_by_draught", "carry_out", "check_sum", "pass"}) {
        std::vector<std::string> here{fmt::format("pause at {}", function), "launch", "-over"};
        auto with = [&](std::vector<std::string> more) {
            more.insert(more.begin(), here.begin(), here.end());
            return debug(program, more, quiet).output;
        };
        std::set<std::string> names;
        std::string locals = with({"locals"});
        for (std::sregex_iterator it(locals.begin(), locals.end(), without_value), end; it != end;
             ++it)
            names.insert((*it)[1]);
        for (const std::string& name : names) {
            std::string told = with({"explain " + name});
            std::smatch found;
            if (!std::regex_search(told, found, place)) continue;
            std::string there =
                with({"off all", "-reach address " + found[1].str(), "-value " + name});
            if (there.find("was not reached") != std::string::npos ||
                there.find("has ended") != std::string::npos)
                continue;
            ++reached;
            std::size_t answer = there.rfind("value " + name);
            ASSERT_NE(answer, std::string::npos);
            EXPECT_NE(there.find("@1 " + name, answer), std::string::npos)
                << function << ": " << name << "\n"
                << told << there;
        }
    }
    EXPECT_GE(reached, 1u) << "nothing was tried";
}

INSTANTIATE_TEST_SUITE_P(Gcc, Nearest, ::testing::Values("day-c-gcc-O3"));
#if HAVE_CLANG
INSTANTIATE_TEST_SUITE_P(Clang, Nearest, ::testing::Values("day-c-clang-O2", "day-c-clang-O3"),
                         [](const auto& info) { return info.index ? "O3" : "O2"; });
#endif

}  // namespace
}  // namespace lantern::testing
