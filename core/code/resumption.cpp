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

}  // namespace lantern
