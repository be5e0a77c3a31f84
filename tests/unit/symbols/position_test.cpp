// Positions: every row of the line table is one, in the inlined call that it belongs to.
#include "core/symbols/position.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include "core/symbols/module_symbols.h"
#include "tests/testing/command.h"
#include "tests/testing/names.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

class PositionsOf : public ::testing::TestWithParam<const char*> {
  protected:
    PositionsOf() : symbols(testing::fixture(GetParam())) {
        if (!symbols.has_debug_information()) throw std::runtime_error("no symbols");
    }
    ModuleSymbols symbols;
};

// No row is lost, none is made up but those of calls, and each keeps its own line.
TEST_P(PositionsOf, AreTheDumpersRows) {
    auto wanted = testing::witness_lines(testing::fixture(GetParam()));
    std::multiset<testing::LineFact> found;
    std::vector<FileRange> ranges;
    for (const Function& function : testing::functions_in(symbols)) {
        if (!function.has_code()) continue;
        for (const CodePosition& position : symbols.positions_of(function).all())
            if (!position.is_call && position.line)
                found.insert({position.address.value, position.line, position.is_statement});
        ranges.insert(ranges.end(), function.ranges.begin(), function.ranges.end());
    }
    std::set<std::uint64_t> entries;
    for (const Function& function : testing::functions_in(symbols))
        if (function.has_code()) entries.insert(function.low().value);
    unsigned missing = 0, rows = 0;
    for (const testing::LineFact& row : std::set<testing::LineFact>(wanted.begin(), wanted.end())) {
        if (std::get<1>(row) == 0 || !any_contains(ranges, FileAddress(std::get<0>(row)))) continue;
        ++rows;
        bool is_of_the_one_before = entries.count(std::get<0>(row)) &&
                                    !found.count(row);  // what was left in front of an entry
        missing += !found.count(row) && !is_of_the_one_before;
    }
    EXPECT_EQ(missing, 0u);
    EXPECT_GT(rows, 100u);
    for (const testing::LineFact& row : found)
        EXPECT_TRUE(wanted.count(row))
            << fmt::format("{:#x} line {}", std::get<0>(row), std::get<1>(row));
}

// A row's line lies in the source of the function it is read to be in.
TEST_P(PositionsOf, AreInTheFunctionWhoseSourceTheyName) {
    unsigned rows = 0, foreign = 0;
    bool unrecorded = std::string(GetParam()).find("gcc") !=
                      std::string::npos;  // gcc may lose the record of a call
    for (const Function& function : testing::functions_in(symbols)) {
        if (!function.has_code()) continue;
        for (const CodePosition& position : symbols.positions_of(function).all()) {
            if (!position.line) continue;
            const Function* of =
                position.inlined ? symbols.function(position.inlined->inlined->origin) : &function;
            if (!of || !of->declared_line || of->declared_in.empty() || position.is_call) continue;
            ++rows;
            foreign += *position.file != of->declared_in || position.line < of->declared_line;
        }
    }
    EXPECT_GT(rows, 100u);
    // What remains: members with a value of their own in the class, above their constructor; and
    // where every call is recorded, lines of macros.
    EXPECT_LE(foreign * (unrecorded ? 1000 : 100), rows) << foreign << " of " << rows;
}

// At any address, in the middle of a row too, the outer calls of a position hold it or begin there.
TEST_P(PositionsOf, NestAsTheirCallsDo) {
    for (const Function& function : testing::functions_in(symbols)) {
        if (!function.has_code()) continue;
        const FunctionPositions& positions = symbols.positions_of(function);
        for (const FileRange& range : function.ranges)
            for (FileAddress at = range.low; at < range.high; at = at + 1) {
                auto position = positions.in_force(at);
                if (!position) continue;
                EXPECT_LE(position->address, at);
                for (const Scope* call = position->inlined; call; call = call->around)
                    EXPECT_TRUE(is_within(position->inlined, call));
                EXPECT_EQ(positions.within(at, nullptr).inlined, nullptr);
            }
    }
}

INSTANTIATE_TEST_SUITE_P(Days, PositionsOf,
                         ::testing::Values("day-c-gcc-O2", "day-c-gcc-O3", "day-cpp-gcc-O1",
                                           "day-cpp-gcc-O2", "day-cpp-gcc-Os",
                                           "day-cpp-gcc-unnumbered"));

#if HAVE_CLANG
INSTANTIATE_TEST_SUITE_P(DaysOfClang, PositionsOf,
                         ::testing::Values("day-c-clang-O2", "day-c-clang-O3", "day-cpp-clang-O2"));
#endif
#if HAVE_RUST
INSTANTIATE_TEST_SUITE_P(DaysOfRust, PositionsOf, ::testing::Values("barges-rust"));
#endif

// A name that is printed can be typed back, in every form that names have.
TEST(PrintedNames, AreFound) {
    for (const char* program : {"day-cpp-gcc-O1", "day-cpp-gcc-O2", "names-gcc"}) {
        ModuleSymbols symbols(testing::fixture(program));
        for (const Function& function : testing::functions_in(symbols)) {
            auto found = symbols.functions_named(function.name);
            EXPECT_TRUE(std::any_of(found.begin(), found.end(), [&](const Function* one) {
                return one->entry_offset == function.entry_offset;
            })) << function.name;
        }
    }
}

TEST(PrintedNames, OverloadsAreToldApartByWhatTheyTake) {
    ModuleSymbols symbols(testing::fixture("names-gcc"));
    unsigned compared = 0;
    for (const Function& function : testing::functions_in(symbols)) {
        if (function.name.find("operator()") != std::string::npos) continue;
        std::string taken;
        for (const Type* parameter : symbols.type_of(function).parameters)
            taken += (taken.empty() ? "" : ", ") + type_text(*parameter);
        auto found = symbols.functions_named(function.name + "(" + taken + ")");
        EXPECT_TRUE(std::any_of(
            found.begin(), found.end(),
            [&](const Function* one) { return one->entry_offset == function.entry_offset; }))
            << function.name << "(" << taken << ")";
        EXPECT_LE(found.size(), symbols.functions_named(function.name).size());
        ++compared;
    }
    EXPECT_GT(compared, 50u);
    for (const char* one : {"canal::over(int)", "canal::over(double)", "over(const char*, int)"})
        EXPECT_EQ(symbols.functions_named(one).size(), 1u) << one;
    EXPECT_EQ(symbols.functions_named("canal::over").size(), 3u);
    EXPECT_TRUE(symbols.functions_named("canal::over(float)").empty());
    EXPECT_TRUE(symbols.functions_named("over)").empty());
}

}  // namespace
}  // namespace lantern
