// The ways through a function's code, held against what an object dumper decodes.
#include "core/code/flow_graph.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <regex>

#include "tests/testing/command.h"

namespace lantern {
namespace {

// Of one function: its instructions by address, with the target of a direct jump or call where one
// is written.
std::map<std::uint64_t, std::optional<std::uint64_t>> dumped(const std::string& program,
                                                             const Function& function) {
    std::map<std::uint64_t, std::optional<std::uint64_t>> found;
    static const std::regex line(R"(^\s*([0-9a-f]+):\t(?:notrack |bnd )?(\S+)\s*(.*)$)"),
        target(R"(^([0-9a-f]+)(?: <.*>)?$)");
    for (const FileRange& range : function.ranges) {
        auto ran = testing::run({"objdump", "-d", "--no-show-raw-insn",
                                 fmt::format("--start-address={:#x}", range.low.value),
                                 fmt::format("--stop-address={:#x}", range.high.value), program});
        for (const std::string& text : testing::lines_of(ran.output)) {
            std::smatch parts, where;
            if (!std::regex_match(text, parts, line)) continue;
            std::string operands = parts[3], mnemonic = parts[2];
            bool goes = mnemonic[0] == 'j' || mnemonic.starts_with("call");
            bool is_direct = goes && std::regex_match(operands, where, target);
            found[std::stoull(parts[1], nullptr, 16)] =
                is_direct ? std::optional(std::stoull(where[1], nullptr, 16)) : std::nullopt;
        }
    }
    return found;
}

class FlowOf : public ::testing::TestWithParam<const char*> {};

TEST_P(FlowOf, EveryFunctionIsDecodedAsTheDumperDoes) {
    std::string program = testing::fixture(GetParam());
    ModuleSymbols symbols(program);
    unsigned compared = 0;
    for (const char* name :
         {"prepare", "sort_by_draught", "carry_out", "carry_out_quickly", "main"})
        for (const Function* function : symbols.functions_named(name)) {
            if (!function->has_code()) continue;
            FlowGraph flow(symbols, *function);
            EXPECT_TRUE(flow.is_complete());
            auto wanted = dumped(program, *function);
            ASSERT_EQ(flow.nodes().size(), wanted.size()) << name;
            for (const FlowGraph::Node& node : flow.nodes()) {
                auto found = wanted.find(node.address.value);
                ASSERT_NE(found, wanted.end()) << name << fmt::format(" {:#x}", node.address.value);
                EXPECT_EQ(node.target ? std::optional(node.target->value) : std::nullopt,
                          found->second)
                    << fmt::format("{:#x}", node.address.value);
                if (node.next != FlowGraph::kNone) {
                    EXPECT_EQ(flow.nodes()[node.next].address, node.behind());
                }
                if (node.branch != FlowGraph::kNone) {
                    EXPECT_EQ(flow.nodes()[node.branch].address, *node.target);
                }
                ++compared;
            }
        }
    EXPECT_GT(compared, 150u);
}

INSTANTIATE_TEST_SUITE_P(Days, FlowOf,
                         ::testing::Values("day-c-gcc-O1", "day-c-gcc-O2", "day-c-gcc-Os",
                                           "day-c-gcc-fixed"));

// Jumps through a table of offsets and through a table of labels: where each of the orders' code
// begins is among their targets.
TEST(FlowGraph, TablesOfJumpsAreFound) {
    for (const char* program : {"day-c-gcc-O1", "day-c-gcc-O2", "day-c-gcc-fixed"}) {
        ModuleSymbols symbols(testing::fixture(program));
        const Function* function = symbols.functions_named("carry_out_quickly").at(0);
        FlowGraph flow(symbols, *function);
        EXPECT_GE(flow.computed_targets().size(), 6u) << program << ": six labels";
        std::set<std::uint32_t> lines;
        for (std::uint32_t target : flow.computed_targets())
            for (const CodePosition& position :
                 symbols.positions_of(*function).at(flow.nodes()[target].address))
                lines.insert(position.line);
        std::set<std::uint32_t> handlers;
        for (std::uint32_t line : lines)
            if (line > 135 && line < 153) handlers.insert(line);
        EXPECT_GE(handlers.size(), 6u) << program << ": a line of each label";
        EXPECT_TRUE(flow.landings().empty()) << program << ": all code is known to be reached";
    }
}

// gcc lays what is seldom run before the rest, and each jump still has its own table.
TEST(FlowGraph, TablesOfAFunctionWithAPartBeforeItAreFound) {
    for (const char* level : {"O2", "O3"}) {
        ModuleSymbols symbols(testing::fixture(std::string("adrift-gcc-") + level));
        const Function* function = symbols.functions_named("tide_at").at(0);
        ASSERT_EQ(function->ranges.size(), 2u);
        FlowGraph flow(symbols, *function);
        std::set<std::vector<std::uint32_t>> tables;
        for (const FlowGraph::Node& node : flow.nodes()) {
            if (!node.is_jump() || !node.is_computed) continue;
            const auto* targets = flow.targets_of(node);
            ASSERT_TRUE(targets) << fmt::format("{:#x}", node.address.value);
            EXPECT_EQ(targets->size(), 5u);
            tables.insert(*targets);
        }
        EXPECT_EQ(tables.size(), 2u);
    }
}

TEST(FlowGraph, HandlersOfExceptionsAreLandings) {
    ModuleSymbols symbols(testing::fixture("day-cpp-gcc-O1"));
    const Function* function = symbols.functions_named("checked").at(0);
    FlowGraph flow(symbols, *function);
    ASSERT_FALSE(flow.landings().empty());
    EXPECT_TRUE(std::none_of(
        flow.nodes().begin(), flow.nodes().end(),
        [](const FlowGraph::Node& node) { return node.is_jump() && node.is_computed; }));
    for (std::uint32_t landing : flow.landings()) EXPECT_FALSE(flow.nodes()[landing].is_filler);
}

}  // namespace
}  // namespace lantern
