#include "core/analysis/canary.h"

#include "core/runtime/c_library.h"

#include "core/code/node_effects.h"
#include "core/support/error.h"
#include "core/unwind/unwinder.h"

namespace lantern {
namespace {

constexpr std::uint32_t kNone = FlowGraph::kNone;

// The register that an instruction loads the thread's canary into.
std::optional<unsigned> loads_canary(const Effects& effects) {
    if (effects.memory.size() != 1) return std::nullopt;
    const MemoryAccess& access = effects.memory[0];
    if (access.segment != MemoryAccess::Segment::fs || access.base || access.index ||
        access.displacement != static_cast<std::int64_t>(c_library::kCanaryAt))
        return std::nullopt;
    for (const RegisterUse& use : effects.registers)
        if (use.writes && !use.reads) return use.dwarf_number;
    return std::nullopt;
}

// How far from the call frame address an instruction stores this register.
std::optional<std::int64_t> stored_at(const Effects& effects, unsigned dwarf_register,
                                      const dwarf::FrameRow& row) {
    bool reads = false;
    for (const RegisterUse& use : effects.registers)
        reads |= use.reads && use.dwarf_number == dwarf_register;
    if (!reads || effects.memory.size() != 1 || !effects.memory[0].writes ||
        effects.memory[0].index)
        return std::nullopt;
    if (row.cfa_is_expression || effects.memory[0].base != row.cfa_register) return std::nullopt;
    return effects.memory[0].displacement - row.cfa_offset;
}

// A caller stands in its call.
std::uint32_t standing_node(const FlowGraph& flow, const Frame& frame) {
    FileAddress at = frame.module->to_file(frame.lookup_address);
    for (std::uint32_t i = 0; i < flow.nodes().size(); ++i)
        if (flow.nodes()[i].address <= at && at < flow.nodes()[i].behind()) return i;
    return kNone;
}

bool can_be_reached_without(const FlowGraph& flow, std::uint32_t goal, std::uint32_t store) {
    std::vector<bool> seen(flow.nodes().size());
    std::vector<std::uint32_t> work{flow.entry()};
    while (!work.empty()) {
        std::uint32_t at = work.back();
        work.pop_back();
        if (at == kNone || seen[at]) continue;
        if (at == goal) return true;
        seen[at] = true;
        if (at == store) continue;
        const FlowGraph::Node& node = flow.nodes()[at];
        work.push_back(node.next);
        work.push_back(node.branch);
        if (node.jumps_by_value())
            work.insert(work.end(), flow.computed_targets().begin(), flow.computed_targets().end());
    }
    return false;
}

}  // namespace

std::optional<Canary> canary_of(const FlowGraph& flow, const Frame& frame) {
    if (!frame.module || !frame.function || !frame.call_frame_address) return std::nullopt;
    const ModuleSymbols& symbols = frame.module->symbols();
    try {
        auto description = symbols.frame_description(frame.function->low());
        if (!description) return std::nullopt;
        std::optional<unsigned> holder;
        for (std::uint32_t i = 0; i < flow.nodes().size(); ++i) {
            const FlowGraph::Node& node = flow.nodes()[i];
            auto effects = effects_of(node, symbols);
            if (!effects) return std::nullopt;
            auto row = holder ? frame_row_at(*description, node.address) : std::nullopt;
            auto distance = row ? stored_at(*effects, *holder, *row) : std::nullopt;
            if (distance && *distance < 0) {
                Canary canary{RunAddress(frame.call_frame_address->value +
                                         static_cast<std::uint64_t>(*distance)),
                              false};
                std::uint32_t here = standing_node(flow, frame);
                canary.is_stored = here != kNone && !can_be_reached_without(flow, here, i);
                return canary;
            }
            if (auto loaded = loads_canary(*effects)) holder = loaded;
        }
    } catch (const Error&) {
    }
    return std::nullopt;
}

}  // namespace lantern
