// The unmarked rows that a jump from another line comes to, held against the jumps that objdump
// lists and the line table as readelf prints it.
#include "core/code/joined_rows.h"

#include <gtest/gtest.h>

#include <regex>

#include "tests/testing/command.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

struct Row {
    std::uint32_t line = 0;
    bool is_marked = false;
};

// The last row of each address; marked where any of its rows is.
std::map<std::uint64_t, Row> rows_of(const std::string& program) {
    std::map<std::uint64_t, Row> rows;
    for (const auto& [address, line, is_statement] : testing::witness_lines(program)) {
        rows[address].line = line;
        rows[address].is_marked |= is_statement;
    }
    return rows;
}

std::set<std::uint64_t> joined_by_the_listing(const std::string& program) {
    auto rows = rows_of(program);
    std::set<std::uint64_t> joined;
    std::regex jump("^ +([0-9a-f]+):\\s+j\\w+ +([0-9a-f]+) <");
    for (const std::string& line :
         testing::lines_of(testing::run({"objdump", "-d", "--no-show-raw-insn", program}).output)) {
        std::smatch match;
        if (!std::regex_search(line, match, jump)) continue;
        std::uint64_t from = std::stoull(match[1], nullptr, 16),
                      to = std::stoull(match[2], nullptr, 16);
        auto at = rows.find(to), before = rows.upper_bound(from);
        if (at == rows.end() || before == rows.begin() || at->second.is_marked) continue;
        std::uint32_t line_before = std::prev(before)->second.line;
        if (at->second.line && line_before && line_before != at->second.line) joined.insert(to);
    }
    return joined;
}

std::set<std::uint64_t> joined_by_us(const std::string& program) {
    ModuleSymbols symbols(program);
    std::set<std::uint64_t> joined;
    for (const auto& unit : symbols.debug_info().units())
        for (const Function* function : symbols.functions_of(*unit)) {
            if (!function->has_code()) continue;
            const FunctionPositions& positions = symbols.positions_of(*function);
            JoinedRows rows(FlowGraph(symbols, *function), positions);
            for (const CodePosition& position : positions.all()) {
                EXPECT_EQ(rows.begins_statement(position),
                          position.is_statement || rows.is_joined(position));
                if (rows.is_joined(position)) joined.insert(position.address.value);
            }
        }
    return joined;
}

TEST(JoinedRows, AreThoseThatTheListingShows) {
    if (!HAVE_CLANG) GTEST_SKIP() << "clang is not here";
    std::size_t found = 0;
    for (const char* build : {"gauges-clang-O1", "gauges-clang-O2", "gauges-clang-O3"}) {
        std::string program = testing::fixture(build);
        auto wanted = joined_by_the_listing(program);
        EXPECT_EQ(joined_by_us(program), wanted) << build;
        found += wanted.size();
    }
    EXPECT_GE(found, 3u);
}

TEST(JoinedRows, GccMarksByTheSource) {
    EXPECT_TRUE(joined_by_us(testing::fixture("gauges-gcc-O2")).empty());
}

}  // namespace
}  // namespace lantern
