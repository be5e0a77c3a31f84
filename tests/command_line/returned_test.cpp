// Returned values: what each function of a program gave, by every compiler, against what the
// program's source says of it.
#include <gtest/gtest.h>

#include <fmt/format.h>
#include <regex>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

struct Build {
    const char* program;
    bool is_here;
    std::size_t
        at_least;  // functions whose value is read; optimisers make one of two that are alike
};

// "…" in what is expected stands for anything.
bool reads_as(const std::string& expected, const std::string& told) {
    std::string pattern;
    const std::string any = "…";
    for (std::size_t at = 0; at < expected.size();) {
        if (expected.compare(at, any.size(), any) == 0) {
            pattern += "[^]*";
            at += any.size();
        } else {
            if (std::string("\\^$.|?*+()[]{}").find(expected[at]) != std::string::npos)
                pattern += '\\';
            pattern += expected[at++];
        }
    }
    return std::regex_match(told, std::regex(pattern));
}

class Returned : public ::testing::TestWithParam<Build> {};

TEST_P(Returned, EveryValueIsTheOneThatTheFunctionGave) {
    if (!GetParam().is_here) GTEST_SKIP() << "its compiler is not here";
    std::string program = fixture(GetParam().program);
    auto facts = printed_facts(run({program}).output);
    ASSERT_GT(facts.size(), 35u);
    std::vector<std::string> commands;
    for (const auto& [name, value] : facts) commands.push_back("-pause at " + name);
    commands.push_back("launch");
    for (std::size_t i = 0; i < facts.size(); ++i)
        commands.insert(commands.end(), {"-out", "-continue"});
    Ran ran = debug(program, commands, {"--stdout", "/dev/null"});
    std::size_t right = 0;
    for (const std::string& line : lines_of(ran.output)) {
        std::size_t begin = line.find("returned  "), from = line.rfind(" from ");
        if (begin == std::string::npos || from == std::string::npos) continue;
        std::string name = line.substr(from + 6, line.rfind(" (@") - from - 6),
                    told = line.substr(begin + 10, from - begin - 10);
        if (std::size_t colon = name.rfind(':'); colon != std::string::npos)
            name = name.substr(colon + 1);
        ASSERT_TRUE(facts.count(name)) << line;
        EXPECT_TRUE(reads_as(facts[name], told))
            << name << " gave " << facts[name] << " and is told as " << told;
        ++right;
    }
    EXPECT_GE(right, GetParam().at_least) << ran.errors;
}

std::vector<Build> builds() {
    std::vector<Build> all;
    for (const char* name : {"returned-c-gcc-O0", "returned-c-gcc-O1", "returned-c-gcc-O2"})
        all.push_back({name, true, 87});
    for (const char* name : {"returned-c-clang-O0", "returned-c-clang-O1", "returned-c-clang-O2"})
        all.push_back({name, HAVE_CLANG != 0, 87});
    for (const char* name : {"returned-cpp-gcc-O0", "returned-cpp-gcc-O1", "returned-cpp-gcc-O2"})
        all.push_back({name, true, 38});
    for (const char* name :
         {"returned-cpp-clang-O0", "returned-cpp-clang-O1", "returned-cpp-clang-O2"})
        all.push_back({name, HAVE_CLANG != 0, 38});
    for (const char* name : {"returned-rust-O0", "returned-rust-O1"})
        all.push_back({name, HAVE_RUST != 0, 112});
    for (const char* name : {"returned-rust-O2", "returned-rust-O3"})
        all.push_back({name, HAVE_RUST != 0, 100});
    return all;
}

INSTANTIATE_TEST_SUITE_P(Builds, Returned, ::testing::ValuesIn(builds()), [](const auto& each) {
    std::string name = each.param.program;
    for (char& c : name)
        if (c == '-') c = '_';
    return name;
});

class Dropped : public ::testing::TestWithParam<const char*> {};

TEST_P(Dropped, AValueThatNobodyUsesIsNotReadFromARegisterThatHoldsAnotherOne) {
    if (std::string(GetParam()).find("clang") != std::string::npos && !HAVE_CLANG)
        GTEST_SKIP() << "clang is not here";
    Ran ran = debug(fixture(GetParam()), {"pause at forgotten", "-pause at used", "launch", "out",
                                          "continue", "-continue", "-out"});
    EXPECT_TRUE(ran.says(
        "returned  not known: nobody uses it, and the compiler may have dropped it from forgotten"))
        << ran.output;
    bool is_left = !ran.says("no code of used is left");  // gcc computes it beforehand
    EXPECT_TRUE(!is_left || ran.says("returned  12 from used")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compilers, Dropped, ::testing::Values("dropped-gcc", "dropped-clang"));

}  // namespace
}  // namespace lantern::testing
