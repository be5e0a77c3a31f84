// One pass over the graph from the entry, with two numbers at each instruction: how far the stack
// pointer stands below where it stood at the entry, and how far the frame pointer does.
//
//     push rbp            8
//     mov rbp, rsp        8, frame 8
//     sub rsp, 40        48, frame 8      ← the most: 48
//     leave               0
//     ret
#include "core/code/stack_depth.h"

#include <algorithm>
#include <vector>

#include "core/machine/stack_change.h"

namespace lantern {
namespace {

struct Depths {
    std::int64_t stack = 0;
    std::optional<std::int64_t> frame;  // nothing: the frame pointer is not of this function
    bool operator==(const Depths&) const = default;
};

// False where it is not known.
bool apply(const StackChange& change, Depths& depths) {
    using Kind = StackChange::Kind;
    switch (change.kind) {
        case Kind::none: return true;
        case Kind::adds: depths.stack -= change.amount; return true;
        case Kind::aligns: depths.stack += change.amount - 1; return true;
        case Kind::into_frame: depths.frame = depths.stack; return true;
        case Kind::to_frame:
        case Kind::takes_over_frame:
            if (!depths.frame) return false;
            depths.stack = *depths.frame - change.amount;
            if (change.kind == Kind::takes_over_frame) depths.frame.reset();
            return true;
        case Kind::unknown: return false;
    }
    return false;
}

}  // namespace

std::optional<std::uint64_t> stack_depth(const FlowGraph& flow, const ModuleSymbols& symbols) {
    const auto& nodes = flow.nodes();
    if (flow.entry() == FlowGraph::kNone) return std::nullopt;
    std::vector<std::optional<Depths>> before(nodes.size());
    std::vector<std::uint32_t> waiting{flow.entry()};
    before[flow.entry()] = Depths{};
    std::int64_t most = 0;
    while (!waiting.empty()) {
        std::uint32_t index = waiting.back();
        waiting.pop_back();
        const FlowGraph::Node& node = nodes[index];
        Depths depths = *before[index];
        if (!apply(stack_change(symbols.elf().loaded_bytes(node.address, node.length)), depths))
            return std::nullopt;
        most = std::max(most, depths.stack);
        auto go_to = [&](std::uint32_t next) {
            if (next == FlowGraph::kNone) return true;
            if (before[next]) return before[next]->stack == depths.stack;
            before[next] = depths;
            waiting.push_back(next);
            return true;
        };
        bool agree = go_to(node.next) && go_to(node.branch);
        if (node.jumps_by_value())
            for (std::uint32_t target : flow.computed_targets()) agree = agree && go_to(target);
        if (!agree) return std::nullopt;
    }
    return static_cast<std::uint64_t>(most);
}

}  // namespace lantern
