// Blocks, dominators and loops, held against their definitions: a block is left only at its end,
// one dominates another if without it nobody comes there, a loop's blocks come back to its head
// without leaving it.
#include "core/code/blocks.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "tests/testing/command.h"

namespace lantern {
namespace {

// What can be reached from the entries without coming through one block.
std::vector<bool> reached_without(const Blocks& blocks, std::uint32_t without) {
    std::vector<bool> reached(blocks.all().size());
    std::vector<std::uint32_t> open;
    for (std::uint32_t i = 0; i < blocks.all().size(); ++i)
        if (blocks.all()[i].is_entry) open.push_back(i);
    while (!open.empty()) {
        std::uint32_t block = open.back();
        open.pop_back();
        if (block == without || reached[block]) continue;
        reached[block] = true;
        open.insert(open.end(), blocks.all()[block].to.begin(), blocks.all()[block].to.end());
    }
    return reached;
}

void check_cuts(const Blocks& blocks) {
    const auto& nodes = blocks.flow().nodes();
    for (std::uint32_t number = 0; number < blocks.all().size(); ++number) {
        const Blocks::Block& block = blocks.all()[number];
        ASSERT_LT(block.first, block.end);
        for (std::uint32_t node = block.first; node < block.end; ++node) {
            EXPECT_EQ(blocks.of_node(node), number);
            if (node + 1 < block.end) {
                EXPECT_EQ(nodes[node].next, node + 1) << "one follows the other";
                EXPECT_FALSE(nodes[node].is_jump()) << "nobody leaves it in the middle";
            }
            if (nodes[node].branch != FlowGraph::kNone) {
                EXPECT_EQ(blocks.all()[blocks.of_node(nodes[node].branch)].first,
                          nodes[node].branch)
                    << "nobody comes into the middle of one";
            }
        }
        for (std::uint32_t other : block.to)
            EXPECT_TRUE(std::count(blocks.all()[other].from.begin(), blocks.all()[other].from.end(),
                                   number));
    }
}

void check_dominators(const Blocks& blocks) {
    std::vector<bool> all = reached_without(blocks, Blocks::kNone);
    for (std::uint32_t a = 0; a < blocks.all().size(); ++a) {
        EXPECT_EQ(blocks.all()[a].is_reached, all[a]);
        if (!all[a]) continue;
        std::vector<bool> without = reached_without(blocks, a);
        for (std::uint32_t b = 0; b < blocks.all().size(); ++b)
            EXPECT_TRUE(!all[b] || blocks.dominates(a, b) == !without[b])
                << a << " and " << b << " of " << blocks.flow().function().name;
    }
}

unsigned check_loops(const Blocks& blocks) {
    for (const Blocks::Loop& loop : blocks.loops()) {
        auto is_in = [&](std::uint32_t block) {
            return std::binary_search(loop.blocks.begin(), loop.blocks.end(), block);
        };
        for (std::uint32_t block : loop.blocks) {
            EXPECT_TRUE(blocks.dominates(loop.head, block));
            for (std::uint32_t from : blocks.all()[block].from)
                EXPECT_TRUE(block == loop.head || is_in(from) || !blocks.all()[from].is_reached)
                    << "it is entered by its head alone";
            EXPECT_TRUE(
                std::any_of(blocks.all()[block].to.begin(), blocks.all()[block].to.end(), is_in))
                << "each goes on in it";
        }
        if (loop.outer != Blocks::kNone) {
            const auto& outer = blocks.loops()[loop.outer].blocks;
            EXPECT_TRUE(
                std::includes(outer.begin(), outer.end(), loop.blocks.begin(), loop.blocks.end()))
                << "an inner loop lies in the outer one";
        }
    }
    return static_cast<unsigned>(blocks.loops().size());
}

class BlocksOf : public ::testing::TestWithParam<const char*> {};

TEST_P(BlocksOf, AreWhatTheirDefinitionsSay) {
    std::string program = GetParam();
    if (program.find("clang") != std::string::npos && !HAVE_CLANG)
        GTEST_SKIP() << "clang is not here: SKIPPED";
    if (program.find("rs") != std::string::npos && !HAVE_RUST)
        GTEST_SKIP() << "rustc is not here: SKIPPED";
    ModuleSymbols symbols(testing::fixture(program));
    unsigned functions = 0, loops = 0;
    constexpr std::size_t kMostBlocks = 120, kMostFunctions = 150;
    for (const auto& unit : symbols.debug_info().units())
        for (const Function* function : symbols.functions_of(*unit)) {
            if (functions >= kMostFunctions) break;
            FlowGraph flow(symbols, *function);
            Blocks blocks(flow);
            if (blocks.all().size() > kMostBlocks) continue;
            ++functions;
            check_cuts(blocks);
            check_dominators(blocks);
            loops += check_loops(blocks);
        }
    EXPECT_GT(functions, 3u);
    EXPECT_GT(loops, 0u);
}

INSTANTIATE_TEST_SUITE_P(Days, BlocksOf,
                         ::testing::Values("day-c-gcc-Og", "day-c-gcc-O3", "day-c-clang-O3",
                                           "day-cpp-gcc-O2", "day-cpp-clang-O3", "day-rs-3"),
                         [](const auto& info) { return testing::as_test_name(info.param); });

}  // namespace
}  // namespace lantern
