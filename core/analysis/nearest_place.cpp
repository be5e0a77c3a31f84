#include "core/analysis/nearest_place.h"

#include <deque>

#include "core/code/ways.h"
#include "core/values/place_text.h"

namespace lantern {
namespace {

// The place's expression; null: there is none at the address.
const dwarf::LocationRange* place_at(const Variable& variable, FileAddress address) {
    for (const dwarf::LocationRange& location : variable.locations)
        if (!location.expression.empty() && location.range && location.range->contains(address))
            return &location;
    return nullptr;
}

// The variable's own function, or inlined call of one, is what runs there.
bool is_in_scope(const FunctionPositions& positions, const Scope& scope, FileAddress address) {
    const Scope* owner = scope.inlined ? &scope : scope.around;
    auto position = positions.in_force(address);
    return position && position->inlined == owner &&
           (scope.ranges.empty() || any_contains(scope.ranges, address));
}

// The first that is come to, all ways being gone one instruction at a time.
std::optional<NearestPlace> nearest(const Frame& frame, const Scope& scope,
                                    const Variable& variable, const FlowGraph& flow,
                                    const Ways& ways, std::uint32_t from) {
    const FunctionPositions& positions = frame.module->symbols().positions_of(*frame.function);
    std::vector<bool> seen(ways.size());
    std::deque<std::uint32_t> next{from};
    seen[from] = true;
    while (!next.empty()) {
        std::uint32_t at = next.front();
        next.pop_front();
        FileAddress address = flow.nodes()[at].address;
        bool counts = at != from && is_in_scope(positions, scope, address);
        const dwarf::LocationRange* place = counts ? place_at(variable, address) : nullptr;
        if (place) {
            NearestPlace found;
            found.address = frame.module->to_run(address);
            found.place = place_text(place->expression, variable.unit);
            auto position = positions.in_force(address);
            if (position->file) found.file = *position->file;
            found.line = position->line;
            return found;
        }
        for (std::uint32_t to : ways[at])
            if (!seen[to]) {
                seen[to] = true;
                next.push_back(to);
            }
    }
    return std::nullopt;
}

}  // namespace

NearestPlaces nearest_places(const Frame& frame, const Scope& scope, const Variable& variable) {
    if (!frame.module || !frame.function) return {};
    FlowGraph flow(frame.module->symbols(), *frame.function);
    std::uint32_t here = flow.around(frame.file_address());
    if (here == FlowGraph::kNone) return {};
    return {nearest(frame, scope, variable, flow, ways_on(flow), here),
            nearest(frame, scope, variable, flow, ways_back(flow), here)};
}

}  // namespace lantern
