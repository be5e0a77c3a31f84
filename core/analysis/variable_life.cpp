#include "core/analysis/variable_life.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/code/flow_graph.h"
#include "core/expressions/scope_names.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

const dwarf::LocationRange* location_at(const Variable& variable, FileAddress address) {
    for (const dwarf::LocationRange& location : variable.locations) {
        bool holds = !location.range || location.holds_at(address, dwarf::kLastRow);
        if (holds && !location.expression.empty()) return &location;
    }
    return nullptr;
}

VariableLane lane_of(const Variable& variable, const std::vector<FlowGraph::Node>& nodes) {
    VariableLane lane;
    lane.name = variable.name;
    for (std::size_t i = 0; i < nodes.size(); ++i) {
        const dwarf::LocationRange* location = location_at(variable, nodes[i].address);
        PlaceKind kind = location            ? place_kind(location->expression, variable.unit)
                         : variable.constant ? PlaceKind::constant
                                             : PlaceKind::nowhere;
        if (kind == PlaceKind::nowhere) continue;
        std::string place =
            location ? place_text(location->expression, variable.unit) : "a constant";
        LifeStretch* last = lane.stretches.empty() ? nullptr : &lane.stretches.back();
        if (last && last->last + 1 == i && last->place == place)
            last->last = i;
        else
            lane.stretches.push_back({i, i, kind, place});
    }
    return lane;
}

void add_variables(const Scope& scope, const std::vector<FlowGraph::Node>& nodes,
                   std::vector<VariableLane>& lanes) {
    for (const Variable& variable : scope.variables)
        if (!variable.is_artificial) lanes.push_back(lane_of(variable, nodes));
    for (const auto& inner : scope.inner)
        if (!inner->inlined) add_variables(*inner, nodes, lanes);
}

void add_instructions(VariableLife& life, const Moment& moment, const Frame& frame,
                      const std::vector<FlowGraph::Node>& nodes) {
    const FunctionPositions& positions = frame.module->symbols().positions_of(*frame.function);
    const Scope* own = frame.scopes.empty() ? nullptr : frame.scopes.back();
    if (own && !own->inlined) own = nullptr;
    for (std::size_t i = 0; i < nodes.size(); ++i) {
        LifeInstruction each;
        each.address = frame.module->to_run(nodes[i].address);
        auto in_force = positions.in_force(nodes[i].address);
        if (in_force && is_within(in_force->inlined, own)) {
            CodePosition position = positions.within(nodes[i].address, own);
            each.line = position.line;
            if (position.line && position.file)
                each.text =
                    trimmed(moment.sources().line(*position.file, position.line).value_or(""));
        }
        if (nodes[i].address <= frame.file_address()) life.here = i;
        life.instructions.push_back(std::move(each));
    }
}

}  // namespace

VariableLife report_life(const Moment& moment, const std::string& name) {
    const Frame* frame = moment.selected_frame();
    auto meant = frame ? find_visible(*frame, name) : std::nullopt;
    if (!meant)
        throw RequestError(fmt::format("no local variable is called {} here", quote(name)),
                           "a global lives in one place everywhere");
    if (!frame->module || !frame->function)
        throw RequestError("the code of this frame is not known");
    FlowGraph flow(frame->module->symbols(), *frame->function);
    const auto& nodes = flow.nodes();
    VariableLife life;
    life.function = frame_function_name(*frame);
    add_instructions(life, moment, *frame, nodes);
    add_variables(*frame->scopes.back(), nodes, life.lanes);
    VariableLane wanted = lane_of(*meant->variable, nodes);
    auto same = std::find_if(life.lanes.begin(), life.lanes.end(),
                             [&](const VariableLane& lane) { return lane.name == wanted.name; });
    if (same != life.lanes.end()) std::rotate(life.lanes.begin(), same, same + 1);
    return life;
}

}  // namespace lantern
