// From addresses to what claims them and back, over whole programs.
#include "core/symbols/code_query.h"

#include <gtest/gtest.h>

#include "core/symbols/places.h"
#include "core/symbols/unit_map.h"
#include "tests/testing/command.h"
#include "tests/testing/names.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

using testing::fixture;

class CodeQuery : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!std::filesystem::exists(fixture(GetParam()))) GTEST_SKIP() << "not built here";
        symbols_ = std::make_unique<ModuleSymbols>(fixture(GetParam()));
        source_ =
            std::string(GetParam()).find("locks") != std::string::npos ? "locks.c" : "barges.cpp";
    }
    std::unique_ptr<ModuleSymbols> symbols_;
    std::string source_;
};

TEST_P(CodeQuery, BlocksOfTheLinesAreTheCodeOfTheFileAndNothingTwice) {
    // Byte by byte: which line of the file the line table gives it, and which line's blocks hold
    // it.
    std::map<std::uint64_t, std::uint32_t> by_table, by_blocks;
    for (const auto& unit : symbols_->debug_info().units()) {
        const LineTable& lines = symbols_->lines_of(*unit);
        for (const LineEntry& entry : lines.entries())
            if (entry.line && path_matches(lines.files().at(entry.file).path, source_))
                for (std::uint64_t at = entry.range.low.value; at < entry.range.high.value; ++at)
                    by_table[at] = entry.line;
    }
    std::set<std::uint32_t> numbers;
    for (auto [at, line] : by_table) numbers.insert(line);
    for (std::uint32_t line : numbers) {
        std::uint64_t reached = 0;
        for (const LineBlock& block : blocks_of_line(*symbols_, source_, line)) {
            EXPECT_LT(block.range.low, block.range.high);
            EXPECT_GE(block.range.low.value, reached) << "in order, and none over another";
            reached = block.range.high.value;
            EXPECT_FALSE(block.function.empty());
            for (std::uint64_t at = block.range.low.value; at < block.range.high.value; ++at)
                EXPECT_TRUE(by_blocks.emplace(at, line).second) << at;
        }
    }
    EXPECT_EQ(by_blocks, by_table);
    EXPECT_GT(by_table.size(), 50u);
    EXPECT_TRUE(blocks_of_line(*symbols_, source_, 100'000).empty());
    EXPECT_TRUE(blocks_of_line(*symbols_, "wherry.c", 5).empty());
}

TEST_P(CodeQuery, AFrameChainEndsInTheFunctionThatHoldsIt) {
    std::size_t inlined = 0;
    for (const Function& function : testing::functions_in(*symbols_)) {
        for (const FileRange& range : function.ranges)
            for (std::uint64_t at = range.low.value; at < range.high.value; at += 3) {
                auto frames = frames_at(*symbols_, FileAddress(at));
                ASSERT_FALSE(frames.empty());
                EXPECT_EQ(frames.back().function, function.name);
                EXPECT_FALSE(frames.back().is_inlined);
                inlined += frames.size() - 1;
                // The light way finds the same calls as the whole body does.
                std::vector<std::string> light, whole;
                for (const InlinedCall& call :
                     symbols_->inlined_calls_at(function, FileAddress(at)))
                    light.push_back(call.name);
                for (const ScopeChain& chain :
                     chains_at(symbols_->body_of(function), FileAddress(at)))
                    if (chain.inlined) whole.push_back(chain.inlined->name);
                EXPECT_EQ(light, whole) << at;
            }
    }
    EXPECT_TRUE(std::string(GetParam()).find("O2") == std::string::npos || inlined > 0);
    EXPECT_TRUE(frames_at(*symbols_, FileAddress(1)).empty());
}

TEST_P(CodeQuery, TheUnitOfAnAddressIsTheOneWhoseFunctionItIs) {
    UnitMap map(symbols_->debug_info(), symbols_->code_areas());
    for (const Function& function : testing::functions_in(*symbols_)) {
        for (const FileRange& range : function.ranges) {
            EXPECT_EQ(map.find(range.low), function.unit) << function.name;
            EXPECT_EQ(map.find(range.high - 1), function.unit) << function.name;
            EXPECT_TRUE(symbols_->code_areas().holds(range.low));
        }
    }
    EXPECT_EQ(map.find(FileAddress(0)), nullptr);
    EXPECT_EQ(map.find(FileAddress(~std::uint64_t{0})), nullptr);
    EXPECT_EQ(map.distrust(), "");
}

INSTANTIATE_TEST_SUITE_P(Fixtures, CodeQuery,
                         ::testing::Values("locks-gcc-O0-dwarf5-pie", "locks-gcc-O2-dwarf4-nopie",
                                           "locks-clang-O2-dwarf5-pie", "locks-dwarf2",
                                           "barges-gcc5/barges", "barges-gccO24/barges",
                                           "barges-clangsplit5/barges", "barges-gc5/barges",
                                           "barges-wide5/barges"));

TEST(NestedFunctions, LambdasAndLocalMethodsOwnTheirCode) {
    for (const char* name : {"barges-gcc4/barges", "barges-gcc5/barges", "barges-types5/barges",
                             "barges-split5/barges", "barges-clang5/barges", "barges-lto/barges"}) {
        if (!std::filesystem::exists(fixture(name))) continue;
        ModuleSymbols symbols(fixture(name));
        unsigned lambdas = 0;
        for (const auto& [symbol, address] : testing::witness_symbols(fixture(name))) {
            if (!symbol.starts_with("_ZZ4main") || symbol.find("clEi") == std::string::npos)
                continue;
            ++lambdas;
            const Function* function = symbols.function_at(FileAddress(address));
            ASSERT_NE(function, nullptr) << name;
            EXPECT_EQ(function->low().value, address);
            EXPECT_TRUE(function->name.starts_with("main::") &&
                        function->name.ends_with("::operator()"))
                << function->name << " in " << name;
            EXPECT_EQ(symbols.functions_named("operator()").size(), 1u) << name;
        }
        EXPECT_EQ(lambdas, 1u) << name;
    }
    testing::TemporaryFolder folder;
    auto source = folder.write("nested.c",
                               "int main(int count, char **words) {\n    int deep(int by) { return "
                               "by > 0 ? deep(by - 1) + count : 0; }\n    return deep(2);\n}\n");
    std::string program = folder.path() / "nested";
    ASSERT_EQ(testing::run({"gcc", "-g", "-O0", "-o", program, source}).status, 0);
    ModuleSymbols symbols(program);
    auto found = symbols.functions_named("deep");
    ASSERT_EQ(found.size(), 1u) << "a function within a function of GNU C";
    EXPECT_EQ(symbols.function_at(found[0]->low()), found[0]);
    EXPECT_EQ(found[0]->declared_line, 2u);
}

TEST(CodeAreas, HoldTheCodeAndNothingElse) {
    CodeAreas areas(
        {{FileAddress(0x2000), FileAddress(0x3000)}, {FileAddress(0x1000), FileAddress(0x1100)}});
    for (std::uint64_t inside : {0x1000u, 0x10ffu, 0x2000u, 0x2fffu})
        EXPECT_TRUE(areas.holds(FileAddress(inside))) << inside;
    for (std::uint64_t outside : {0u, 1u, 0xfffu, 0x1100u, 0x1fffu, 0x3000u})
        EXPECT_FALSE(areas.holds(FileAddress(outside))) << outside;
    CodeAreas unknown;
    EXPECT_TRUE(unknown.holds(FileAddress(0x5000))) << "without sections everything may be code";
    EXPECT_FALSE(unknown.holds(FileAddress(0)));
    EXPECT_FALSE(unknown.holds(FileAddress(~std::uint64_t{0})));
}

TEST(Scopes, TheInnermostThatHoldsAPosition) {
    std::vector<NameScope> scopes{
        {10, 100, 1, kNoScope}, {20, 50, 2, 0}, {30, 40, 3, 1}, {60, 70, 4, 0}};
    for (auto [position, wanted] : {std::pair{5u, kNoScope},
                                    {10u, 0u},
                                    {25u, 1u},
                                    {35u, 2u},
                                    {40u, 1u},
                                    {45u, 1u},
                                    {55u, 0u},
                                    {65u, 3u},
                                    {99u, 0u},
                                    {100u, kNoScope}})
        EXPECT_EQ(scope_at(scopes, position), wanted) << position;
    std::vector<NameScope> circle{{10, 11, 1, 1}, {20, 21, 2, 0}};
    EXPECT_EQ(scope_at(circle, 90), kNoScope) << "parents in a circle end";
    EXPECT_EQ(scope_at({}, 5), kNoScope);
}

}  // namespace
}  // namespace lantern
