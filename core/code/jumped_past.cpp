#include "core/code/jumped_past.h"

#include <algorithm>
#include <optional>

namespace lantern {
namespace {

// The jumps to an address that something falls into as well, and that has several positions.
using Jumps = std::map<FileAddress, std::vector<FileAddress>>;

Jumps jumps_to_joins(const FlowGraph& flow, const FunctionPositions& positions) {
    Jumps jumps;
    std::vector<bool> is_fallen_into(flow.nodes().size());
    for (const FlowGraph::Node& node : flow.nodes()) {
        auto add = [&](std::uint32_t to) {
            jumps[flow.nodes()[to].address].push_back(node.address);
        };
        if (node.next != FlowGraph::kNone) is_fallen_into[node.next] = true;
        if (node.branch != FlowGraph::kNone) add(node.branch);
        if (!node.jumps_by_value()) continue;
        const auto* targets = flow.targets_of(node);
        std::ranges::for_each(targets ? *targets : flow.computed_targets(), add);
    }
    std::erase_if(jumps, [&](const auto& join) {
        return !is_fallen_into[flow.at(join.first)] || positions.at(join.first).size() < 2;
    });
    return jumps;
}

void collect(const Scope& scope, std::vector<const Variable*>& variables) {
    for (const Variable& variable : scope.variables) variables.push_back(&variable);
    for (const auto& inner : scope.inner) collect(*inner, variables);
}

// What the account says behind all rows of an address; empty where it knows of no value.
ByteSpan account_at(const Variable& variable, FileAddress address) {
    return dwarf::expression_at(variable.locations, address).value_or(ByteSpan());
}

// The jumps that come behind the rows where `above` holds, which is what holds in the block above.
std::vector<FileAddress> come_behind(const Variable& variable, const dwarf::LocationRange& above,
                                     const std::vector<FileAddress>& jumps) {
    ByteSpan behind = account_at(variable, above.range->high);
    bool changes = !behind.empty() && !std::ranges::equal(behind, above.expression);
    bool is_proved = changes && std::ranges::any_of(jumps, [&](FileAddress jump) {
                         return std::ranges::equal(behind, account_at(variable, jump));
                     });
    std::vector<FileAddress> found;
    if (is_proved)
        std::ranges::copy_if(jumps, std::back_inserter(found), [&](FileAddress jump) {
            return !std::ranges::equal(above.expression, account_at(variable, jump));
        });
    return found;
}

// Whether the jump comes from outside of an inlined call that is running where the code falls in.
bool is_outside(const FunctionPositions& positions, FileAddress from, FileAddress to,
                const Scope* inlined) {
    auto fallen = positions.in_force(to - 1), jumped = positions.in_force(from);
    return inlined && fallen && jumped && is_within(fallen->inlined, inlined) &&
           !is_within(jumped->inlined, inlined);
}

// The order of the first position that the jump is known to pass or to come to: the last line above
// `first` may be that of the goal as well, but not where that would be the midst of a call.
std::uint16_t certain_first(const FunctionPositions& positions, FileAddress from, FileAddress to,
                            std::uint16_t first) {
    auto here = positions.at(to);
    const CodePosition& last = here[first - 1u];
    if (!last.line || !last.file || is_outside(positions, from, to, last.inlined)) return first;
    while (first > 0 && here[first - 1u].inlined == last.inlined && here[first - 1u].file &&
           here[first - 1u].is_on(*last.file, last.line))
        --first;
    return first;
}

}  // namespace

JumpedPast::JumpedPast(const FlowGraph& flow, const FunctionPositions& positions,
                       const FunctionBody& body) {
    Jumps jumps = jumps_to_joins(flow, positions);
    std::vector<const Variable*> variables;
    if (!jumps.empty()) collect(body.outermost, variables);
    std::map<std::pair<FileAddress, FileAddress>, std::uint16_t> firsts;  // by where to and from
    for (const Variable* variable : variables)
        for (const dwarf::LocationRange& above : variable->locations) {
            bool ends_in_rows = above.range && above.high_row > 0 &&
                                above.range->low < above.range->high && !above.expression.empty();
            auto join = ends_in_rows ? jumps.find(above.range->high) : jumps.end();
            if (join == jumps.end()) continue;
            auto here = positions.at(join->first);
            auto first = std::ranges::find_if(
                here, [&](const CodePosition& position) { return position.row >= above.high_row; });
            if (first == here.begin() || first == here.end()) continue;
            for (FileAddress from : come_behind(*variable, above, join->second)) {
                std::uint16_t& known = firsts[{join->first, from}];
                known = std::max(known, first->order);
            }
        }
    for (const auto& [jump, first] : firsts) {
        auto [to, from] = jump;
        joins_[to].push_back({from, first, certain_first(positions, from, to, first)});
    }
}

const JumpedPast::Jump* JumpedPast::jump(FileAddress from, FileAddress to) const {
    auto join = joins_.find(to);
    if (join == joins_.end()) return nullptr;
    auto jump = std::ranges::find(join->second, from, &Jump::from);
    return jump == join->second.end() ? nullptr : &*jump;
}

const std::vector<JumpedPast::Jump>& JumpedPast::to(FileAddress address) const {
    static const std::vector<Jump> kNone;
    auto join = joins_.find(address);
    return join == joins_.end() ? kNone : join->second;
}

}  // namespace lantern
