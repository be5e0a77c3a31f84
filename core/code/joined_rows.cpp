#include "core/code/joined_rows.h"

#include <algorithm>

#include "core/symbols/function.h"

namespace lantern {
namespace {

bool marks_by_the_source(const dwarf::Unit& unit) {
    return unit.root().producer.starts_with("GNU ");
}

// The row of the instruction, where none that begins there is marked.
const CodePosition* unmarked_at(const FunctionPositions& positions, FileAddress address) {
    auto here = positions.at(address);
    bool is_marked =
        std::ranges::any_of(here, [](const CodePosition& each) { return each.is_statement; });
    return here.empty() || is_marked || !here.back().line ? nullptr : &here.back();
}

// What has run last before the node has run: that of the node, or where it has no line, of those
// that it follows at once.
CodePosition last_before(const FlowGraph& flow, const FunctionPositions& positions,
                         std::uint32_t node, const Scope* inlined) {
    CodePosition position = positions.within(flow.nodes()[node].address, inlined);
    while (!position.line && node > 0 && flow.nodes()[node - 1].next == node)
        position = positions.within(flow.nodes()[--node].address, inlined);
    return position;
}

}  // namespace

JoinedRows::JoinedRows(const FlowGraph& flow, const FunctionPositions& positions) {
    const Function& function = flow.function();
    if (!function.unit || marks_by_the_source(*function.unit)) return;
    auto arrive = [&](std::uint32_t from, std::uint32_t to) {
        if (to == FlowGraph::kNone) return;
        const CodePosition* row = unmarked_at(positions, flow.nodes()[to].address);
        if (!row) return;
        CodePosition before = last_before(flow, positions, from, row->inlined);
        if (before.line && before.file && !before.is_on(*row->file, row->line))
            rows_.push_back({row->address, row->order});
    };
    for (std::uint32_t from = 0; from < flow.nodes().size(); ++from) {
        const FlowGraph::Node& node = flow.nodes()[from];
        arrive(from, node.branch);
        if (const auto* targets = flow.targets_of(node))
            for (std::uint32_t target : *targets) arrive(from, target);
    }
    std::ranges::sort(rows_);
    rows_.erase(std::unique(rows_.begin(), rows_.end()), rows_.end());
}

bool JoinedRows::is_joined(const CodePosition& position) const {
    return !position.is_statement &&
           std::ranges::binary_search(rows_, std::pair(position.address, position.order));
}

bool JoinedRows::begins_statement(const CodePosition& position) const {
    return position.is_statement || is_joined(position);
}

}  // namespace lantern
