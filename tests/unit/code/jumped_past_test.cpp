// The `break` of the way that falls into the place where the others jump to is passed by none of
// these: held against the jumps that objdump lists and the rows as readelf prints them.
#include "core/code/jumped_past.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <regex>

#include "tests/testing/command.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

std::uint32_t line_of(const std::string& text) {
    std::string place = testing::place_of_text("sluices.c", text);
    return static_cast<std::uint32_t>(std::stoul(place.substr(place.find(':') + 1)));
}

bool is_break_of_kind(std::uint32_t line) {
    std::uint32_t first = line_of("case 0:") + 2, last = line_of("switch (moon)") - 2;
    return line >= first && line <= last && (line - first) % 3 == 0;
}

// Where the last row is of the second choice, and another is of a `break` of the first one.
std::optional<std::uint64_t> join_by_the_rows(const std::string& program) {
    std::map<std::uint64_t, std::pair<bool, bool>> rows;
    for (const auto& [address, line, is_statement] : testing::witness_lines(program)) {
        rows[address].first |= is_break_of_kind(line);
        rows[address].second |= line == line_of("switch (moon)");
    }
    for (const auto& [address, has] : rows)
        if (has.first && has.second) return address;
    return std::nullopt;
}

std::set<std::uint64_t> jumps_by_the_listing(const std::string& program, std::uint64_t to) {
    std::set<std::uint64_t> jumps;
    std::regex jump("^ +([0-9a-f]+):\\s+(?:bnd )?j\\w+ +([0-9a-f]+) <");
    for (const std::string& line :
         testing::lines_of(testing::run({"objdump", "-d", "--no-show-raw-insn", program}).output)) {
        std::smatch match;
        if (std::regex_search(line, match, jump) && std::stoull(match[2], nullptr, 16) == to)
            jumps.insert(std::stoull(match[1], nullptr, 16));
    }
    return jumps;
}

JumpedPast jumped_past_in(const ModuleSymbols& symbols, const Function& function) {
    return JumpedPast(FlowGraph(symbols, function), symbols.positions_of(function),
                      symbols.body_of(function));
}

class JumpedPastRows : public ::testing::TestWithParam<const char*> {};

TEST_P(JumpedPastRows, AreThoseOfTheBlockAbove) {
    std::string program = testing::fixture(std::string("sluices-gcc-") + GetParam());
    auto join = join_by_the_rows(program);
    ASSERT_TRUE(join) << "the fixture has lost what it is for";
    ModuleSymbols symbols(program);
    const Function& function = *symbols.functions_named("level_of").front();
    JumpedPast past = jumped_past_in(symbols, function);
    std::set<std::uint64_t> jumps, proved;
    auto here = symbols.positions_of(function).at(FileAddress(*join));
    for (const JumpedPast::Jump& jump : past.to(FileAddress(*join))) {
        EXPECT_EQ(past.jump(jump.from, FileAddress(*join)), &jump);
        ASSERT_LT(jump.first, here.size());
        EXPECT_EQ(here[jump.first].line, line_of("switch (moon)"));
        EXPECT_EQ(jump.certain, 0) << "the line above is only one";
        for (unsigned order = 0; order < jump.first; ++order)
            EXPECT_TRUE(is_break_of_kind(here[order].line)) << here[order].line;
        proved.insert(jump.from.value);
    }
    jumps = jumps_by_the_listing(program, *join);
    EXPECT_TRUE(std::ranges::includes(jumps, proved));
    EXPECT_GE(proved.size(), 4u);
    EXPECT_GE(jumps_by_the_listing(program, *join).size(), 4u);
}

INSTANTIATE_TEST_SUITE_P(Levels, JumpedPastRows, ::testing::Values("O1", "O2", "O3"),
                         [](const auto& each) { return std::string(each.param); });

TEST(JumpedPastNothing, WhereNoRowIsNumberedOrNothingIsOptimised) {
    for (const char* name : {"sluices-gcc-unnumbered", "sluices-gcc-O0"}) {
        ModuleSymbols symbols(testing::fixture(name));
        const Function& function = *symbols.functions_named("level_of").front();
        EXPECT_TRUE(jumped_past_in(symbols, function).is_empty()) << name;
    }
}

}  // namespace
}  // namespace lantern
