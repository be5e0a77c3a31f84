// The loop around each instruction of the fixtures' functions, held against the loops as the
// compiler left them: from where a jump back leads to that jump, in code that was not optimised.
#include "core/code/loop_around.h"

#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern {
namespace {

TEST(LoopAround, IsWhatTheNearestJumpBackCloses) {
    ModuleSymbols symbols(testing::fixture("control-gcc-O0"));
    unsigned compared = 0;
    for (const auto& unit : symbols.debug_info().units())
        for (const Function* function : symbols.functions_of(*unit)) {
            if (!function->has_code()) continue;
            FlowGraph flow(symbols, *function);
            Blocks blocks(flow);
            for (const FlowGraph::Node& node : flow.nodes()) {
                std::optional<FileRange> closed;
                for (const FlowGraph::Node& jump : flow.nodes()) {
                    if (jump.branch == FlowGraph::kNone || !(*jump.target < jump.behind()))
                        continue;
                    FileRange loop{*jump.target, jump.behind()};
                    if (loop.contains(node.address) && (!closed || loop.size() < closed->size()))
                        closed = loop;
                }
                auto around = loop_around(blocks, node.address);
                ASSERT_EQ(around.empty(), !closed) << function->name;
                if (!closed) continue;
                ASSERT_EQ(around.size(), 1u);
                EXPECT_EQ(around[0].low.value, closed->low.value) << function->name;
                EXPECT_EQ(around[0].high.value, closed->high.value) << function->name;
                ++compared;
            }
        }
    EXPECT_GT(compared, 50u);
}

}  // namespace
}  // namespace lantern
