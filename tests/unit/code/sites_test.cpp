// Lines and functions as positions in optimised code.
#include "core/code/sites.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include "core/code/statement_begins.h"
#include "tests/testing/command.h"
#include "tests/testing/names.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

class DaySites : public ::testing::TestWithParam<const char*> {
  protected:
    DaySites() : symbols(testing::fixture(GetParam())) {}
    ModuleSymbols symbols;
};

// Never a file with another file's line: each site's line is one that the dumper has at that
// address, or that of a call inlined there.
TEST_P(DaySites, ASiteIsOfTheVeryLineThatWasAsked) {
    auto rows = testing::witness_lines(testing::fixture(GetParam()));
    std::map<std::uint64_t, std::set<std::uint32_t>> lines_at;
    for (const auto& [address, line, is_statement] : rows) lines_at[address].insert(line);
    unsigned checked = 0;
    for (std::uint32_t line = 1; line < 220; ++line) {
        LineSites found = find_line(symbols, "day.c", line);
        for (const CodeSite& site : found.sites) {
            EXPECT_EQ(site.line, line);
            EXPECT_TRUE(site.file.ends_with("/day.c")) << site.file;
            ASSERT_TRUE(site.position);
            bool is_row = lines_at[site.address.value].count(site.position->line) != 0;
            EXPECT_TRUE(is_row || site.position->is_call)
                << "line " << line << fmt::format(" at {:#x}", site.address.value);
            EXPECT_EQ(site.is_inlined_copy, site.position->inlined != nullptr);
            ++checked;
        }
    }
    EXPECT_GT(checked, 80u);
}

// A pass is met once: of the sites of a line in one copy none stands where only the same statement
// goes on.
TEST_P(DaySites, EachAddressStandsOnce) {
    for (std::uint32_t line = 1; line < 220; ++line) {
        std::set<std::pair<std::uint64_t, const Scope*>> seen;
        for (const CodeSite& site : find_line(symbols, "day.c", line).sites)
            EXPECT_TRUE(
                seen.insert({site.address.value, site.position ? site.position->inlined : nullptr})
                    .second)
                << "line " << line;
    }
}

INSTANTIATE_TEST_SUITE_P(Days, DaySites,
                         ::testing::Values("day-c-gcc-O1", "day-c-gcc-O2", "day-c-gcc-O3",
                                           "day-c-gcc-Os", "day-c-gcc-Og", "day-c-gcc-lto",
                                           "day-c-gcc-fixed"));

// A loop's head is one statement for the whole loop, however many stretches of code the compiler
// makes of it.
TEST(StatementBegins, AForLineBeginsOnce) {
    for (const char* program :
         {"day-c-gcc-O1", "day-c-gcc-O2", "day-c-gcc-Og", "locks-gcc-O0-dwarf5-pie"}) {
        ModuleSymbols symbols(testing::fixture(program));
        bool is_day = std::string(program).starts_with("day");
        LineSites found = find_line(symbols, is_day ? "day.c" : "locks.c", is_day ? 76 : 47);
        std::map<std::string, unsigned> by_function;
        for (const CodeSite& site : found.sites) ++by_function[site.function + site.inlined_into];
        EXPECT_FALSE(by_function.empty()) << program;
        for (const auto& [function, count] : by_function)
            EXPECT_EQ(count, 1u) << program << " " << function;
    }
}

// What a loop that was unrolled has of its body, it has several times.
TEST(StatementBegins, AnUnrolledBodyBeginsInEachCopy) {
    if (!HAVE_CLANG) GTEST_SKIP() << "clang is not here";
    ModuleSymbols symbols(testing::fixture("day-c-clang-O2"));
    std::size_t most = 0;
    for (std::uint32_t line : {189u, 190u, 191u})
        most = std::max(most, find_line(symbols, "day.c", line).sites.size());
    EXPECT_GE(most, 9u) << "nine barges";
}

TEST(BodyStart, IsThePositionOfTheFunctionItself) {
    for (const char* program :
         {"day-cpp-gcc-O2", "day-cpp-gcc-Os", "day-cpp-gcc-O1", "day-c-gcc-O2"}) {
        ModuleSymbols symbols(testing::fixture(program));
        unsigned checked = 0;
        for (const Function& function : testing::functions_in(symbols)) {
            if (!function.has_code() || function.declared_in.find("/day.") == std::string::npos)
                continue;
            CodePosition start = body_start(symbols, function);
            EXPECT_EQ(start.inlined, nullptr) << function.name;
            ASSERT_TRUE(start.file) << function.name;
            EXPECT_EQ(*start.file, function.declared_in)
                << program << " " << function.name << ": not a line of what is inlined there";
            EXPECT_GE(start.line, function.declared_line) << function.name;
            ++checked;
        }
        EXPECT_GE(checked, 5u) << program;
    }
}

}  // namespace
}  // namespace lantern
