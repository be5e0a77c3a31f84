#include "core/analysis/rows_before.h"

#include <algorithm>

#include "core/code/sites.h"

namespace lantern {

RowsBefore::RowsBefore(const Frame& frame, const SourceChanges& changes)
    : frame_(frame),
      changes_(changes),
      code_(kept_code(frame.module->symbols(), *frame.function)),
      node_(code_.flow().around(frame.file_address())) {
    std::vector<std::uint32_t> none;
    leads_here_ = unchanged_from([](std::uint32_t) { return false; }, none);
}

std::vector<bool> RowsBefore::unchanged_from(const std::function<bool(std::uint32_t)>& changes_it,
                                             std::vector<std::uint32_t>& changed_by) const {
    const Ways& before = code_.ways_back();
    std::vector<bool> unchanged(before.size());
    std::vector<std::uint32_t> next{node_};
    while (!next.empty() && next.back() != FlowGraph::kNone) {
        std::uint32_t at = next.back();
        next.pop_back();
        for (std::uint32_t each : before[at]) {
            if (unchanged[each]) continue;
            if (changes_it(each)) {
                changed_by.push_back(each);
                continue;
            }
            unchanged[each] = true;
            next.push_back(each);
        }
    }
    return unchanged;
}

// The inlined call that the frame is of; null: the function itself.
const Scope* RowsBefore::own_scope() const {
    const Scope* outermost = frame_.scopes.empty() ? nullptr : frame_.scopes.back();
    return outermost && outermost->inlined ? outermost : nullptr;
}

RowsBefore::Counted RowsBefore::count(
    std::size_t statement, const std::vector<bool>& unchanged,
    const std::function<bool(const CodePosition&)>& is_same_at) const {
    const SourceStatement& wanted = changes_.statements()[statement];
    const Scope* own = own_scope();
    Counted counted;
    for (const CodePosition& position :
         frame_.module->symbols().positions_of(*frame_.function).all()) {
        bool is_of_it = position.inlined == own && position.is_statement && position.file &&
                        *position.file == frame_.line->file && position.line >= wanted.first_line &&
                        position.line <= wanted.last_line;
        if (!is_of_it) continue;
        std::uint32_t node = code_.flow().at(position.address);
        bool is_passed_here =
            position.address == frame_.file_address() && position.row < frame_.row();
        bool leads_here = is_passed_here || (node != FlowGraph::kNone && leads_here_[node]);
        if (!leads_here) continue;
        bool is_unchanged = is_passed_here || unchanged[node];
        ++(is_unchanged && is_same_at(position) ? counted.unchanged : counted.others);
    }
    return counted;
}

std::optional<std::size_t> RowsBefore::statement_of(std::uint32_t node) const {
    const FunctionPositions& positions = frame_.module->symbols().positions_of(*frame_.function);
    CodePosition position = positions.within(code_.flow().nodes()[node].address, own_scope());
    return position.line ? changes_.statement_at(position.line) : std::nullopt;
}

bool RowsBefore::has_begun(std::size_t statement) const {
    const FunctionPositions& positions = frame_.module->symbols().positions_of(*frame_.function);
    auto begins_it = [&, own = own_scope()](std::uint32_t node) {
        return std::ranges::any_of(positions.at(code_.flow().nodes()[node].address),
                                   [&](const CodePosition& each) {
                                       return each.is_statement && each.inlined == own &&
                                              changes_.statement_at(each.line) == statement;
                                   });
    };
    std::vector<std::uint32_t> begins;
    std::vector<bool> past_none = unchanged_from(begins_it, begins);
    // Its first line begins behind what makes the frame, wherever the compiler has its row.
    CodePosition body = body_start(frame_.module->symbols(), *frame_.function);
    std::uint32_t first = code_.flow().at(body.address);
    return first != FlowGraph::kNone && first != node_ && !begins.empty() && !past_none[first];
}

bool RowsBefore::is_of(std::uint32_t node, std::size_t statement) const {
    const FunctionPositions& positions = frame_.module->symbols().positions_of(*frame_.function);
    const Scope* own = own_scope();
    return std::ranges::any_of(positions.at(code_.flow().nodes()[node].address),
                               [&](const CodePosition& each) {
                                   return each.inlined == own && each.line &&
                                          changes_.statement_at(each.line) == statement;
                               }) ||
           statement_of(node) == statement;
}

}  // namespace lantern
