// Where the bodies of async functions go on. The compiler says of each state at which line it
// waits; of the code there addr2line says which line it is of.
#include "core/code/resumption.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include "core/symbols/async.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

std::uint32_t line_at(const std::string& program, FileAddress address) {
    auto ran = testing::run({"addr2line", "-e", program, fmt::format("{:#x}", address.value)});
    std::size_t colon = ran.output.rfind(':');
    return colon == ran.output.npos ? 0
                                    : static_cast<std::uint32_t>(std::strtoul(
                                          ran.output.c_str() + colon + 1, nullptr, 10));
}

TEST(Resumption, IsWhereTheCompilerSaysThatItWaits) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    std::string program = testing::fixture("waits-rs");
    ModuleSymbols symbols(program);
    unsigned waits = 0;
    for (const char* name : {"rise", "moor", "unload", "twice", "one_line"}) {
        auto bodies = async_bodies_named(symbols, name);
        ASSERT_FALSE(bodies.empty()) << name;
        auto parameter = async_parameter(symbols.body_of(*bodies[0]));
        ASSERT_TRUE(parameter) << name;
        FlowGraph flow(symbols, *bodies[0]);
        for (const Variant& state : parameter->task->variants()) {
            ASSERT_TRUE(state.discriminant);
            auto number = static_cast<std::uint64_t>(*state.discriminant);
            std::uint32_t node = resumed_at(flow, number);
            ASSERT_NE(node, FlowGraph::kNone) << name << number;
            if (number < 3) continue;  // not begun, ended, panicked: it says where the body is
            // What it needs first is fetched on the way in, which is of the function's first line.
            if (line_at(program, flow.nodes()[node].address) == bodies[0]->declared_line)
                node = flow.nodes()[node].next;
            EXPECT_EQ(line_at(program, flow.nodes()[node].address), state.line) << name << number;
            ++waits;
        }
    }
    EXPECT_EQ(waits, 6u);
}

// Without a wait there are three states, which are compared one by one.
TEST(Resumption, IsUnknownWhereNoTableTellsIt) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    ModuleSymbols symbols(testing::fixture("waits-rs"));
    auto bodies = async_bodies_named(symbols, "at_once");
    ASSERT_EQ(bodies.size(), 1u);
    EXPECT_EQ(resumed_at(FlowGraph(symbols, *bodies[0]), 0), FlowGraph::kNone);
}

}  // namespace
}  // namespace lantern
