#include "core/code/resumption.h"

namespace lantern {
namespace {

constexpr int kLongestWay = 64;  // instructions before the jump

}  // namespace

std::uint32_t resumed_at(const FlowGraph& flow, std::uint64_t state) {
    std::uint32_t at = flow.entry();
    for (int i = 0; i < kLongestWay && at != FlowGraph::kNone; ++i) {
        const FlowGraph::Node& node = flow.nodes()[at];
        if (node.is_jump() && node.is_computed) {
            const auto* targets = flow.targets_of(node);
            return targets && state < targets->size() ? (*targets)[state] : FlowGraph::kNone;
        }
        if (node.kind == Instruction::Kind::conditional_jump) return FlowGraph::kNone;
        at = node.kind == Instruction::Kind::jump ? node.branch : node.next;
    }
    return FlowGraph::kNone;
}

std::vector<Resumption> resumptions(const FlowGraph& flow, const FunctionBody& body) {
    constexpr std::int64_t kFirstWait = 3;  // before it: not begun, ended, panicked
    std::vector<Resumption> all;
    auto parameter = async_parameter(body);
    if (!parameter) return all;
    for (const Variant& state : parameter->task->variants()) {
        std::int64_t number = state.discriminant.value_or(0);
        std::uint32_t node =
            number ? resumed_at(flow, static_cast<std::uint64_t>(number)) : FlowGraph::kNone;
        if (node != FlowGraph::kNone) all.push_back({node, number < kFirstWait ? 0 : state.line});
    }
    return all;
}

}  // namespace lantern
