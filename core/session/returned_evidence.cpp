#include "core/session/returned_evidence.h"

#include <algorithm>

#include "core/code/node_effects.h"
#include "core/code/ways.h"
#include "core/machine/calling_convention.h"

namespace lantern {
namespace {

constexpr std::uint32_t kNone = FlowGraph::kNone;

struct Use {
    bool reads = false, writes = false;
};

Use use_of(const FlowGraph::Node& node, const ModuleSymbols& symbols, unsigned dwarf_register) {
    Use use;
    auto effects = effects_of(node, symbols);
    if (!effects) return {true, false};
    for (const RegisterUse& each : effects->registers) {
        if (each.dwarf_number != dwarf_register) continue;
        use.reads |= each.reads && !effects->clears_its_register;
        use.writes |= each.writes;
    }
    for (const MemoryAccess& access : effects->memory)
        use.reads |= access.base == dwarf_register || access.index == dwarf_register;
    if (effects->address)
        use.reads |=
            effects->address->base == dwarf_register || effects->address->index == dwarf_register;
    return use;
}

}  // namespace

bool may_return_otherwise(const ModuleSymbols& symbols, const Function& function) {
    const FunctionBody& body = symbols.body_of(function);
    if (body.is_called_otherwise) return true;
    const ElfSymbol* symbol = symbols.symbol_table().covering(function.low());
    if (symbol && symbol->name.find(".isra.") != std::string_view::npos) return true;
    bool is_gcc = function.unit->root().producer.starts_with("GNU");
    bool is_local = symbol ? !symbol->is_global : !body.is_external;
    return !is_gcc && is_local && looks_optimised(body);
}

bool leaves_value_in(const FlowGraph& flow, const ModuleSymbols& symbols, unsigned dwarf_register) {
    if (!flow.is_complete()) return false;
    auto before = ways_back(flow);
    std::vector<bool> seen(flow.nodes().size());
    std::vector<std::uint32_t> work;
    for (std::uint32_t i = 0; i < flow.nodes().size(); ++i) {
        if (flow.nodes()[i].leaves())
            return false;  // what the other function leaves is not seen here
        if (flow.nodes()[i].kind == Instruction::Kind::returns) work.push_back(i);
    }
    bool any = false;
    while (!work.empty()) {
        std::uint32_t at = work.back();
        work.pop_back();
        if (seen[at]) continue;
        seen[at] = true;
        const FlowGraph::Node& node = flow.nodes()[at];
        if (node.kind == Instruction::Kind::call || node.kind == Instruction::Kind::system_call)
            return false;
        if (node.kind != Instruction::Kind::returns) {
            Use use = use_of(node, symbols, dwarf_register);
            if (use.writes) {
                any = true;
                continue;
            }
            if (use.reads) return false;
        }
        if (at == flow.entry()) return false;
        work.insert(work.end(), before[at].begin(), before[at].end());
    }
    return any;
}

bool reads_first(const FlowGraph& flow, const ModuleSymbols& symbols, FileAddress from,
                 unsigned dwarf_register) {
    std::vector<bool> seen(flow.nodes().size());
    std::vector<std::uint32_t> work{flow.at(from)};
    while (!work.empty()) {
        std::uint32_t at = work.back();
        work.pop_back();
        if (at == kNone || seen[at]) continue;
        seen[at] = true;
        const FlowGraph::Node& node = flow.nodes()[at];
        if (node.kind == Instruction::Kind::returns) return true;  // it may be handed on
        if (node.kind == Instruction::Kind::call || node.kind == Instruction::Kind::system_call)
            continue;
        Use use = use_of(node, symbols, dwarf_register);
        if (use.reads) return true;
        if (use.writes) continue;
        if (node.leaves()) continue;
        work.push_back(node.next);
        work.push_back(node.branch);
    }
    return false;
}

std::optional<RunAddress> address_given(const FlowGraph& caller, const ModuleSymbols& symbols,
                                        FileAddress back, const Registers& registers) {
    constexpr unsigned kFirstParameter = kIntegerParameters[0];
    std::uint32_t after = caller.at(back);
    std::uint32_t call = kNone;
    for (std::uint32_t i = 0; i < caller.nodes().size() && call == kNone; ++i)
        if (caller.nodes()[i].behind() == back && caller.nodes()[i].kind == Instruction::Kind::call)
            call = i;
    if (call == kNone || (after != kNone && after != call + 1)) return std::nullopt;
    auto before = ways_back(caller);
    std::vector<unsigned> written;  // between the instruction looked at and the call
    for (std::uint32_t at = call; at > 0;) {
        if (before[at].size() != 1 || before[at][0] != at - 1) return std::nullopt;
        const FlowGraph::Node& node = caller.nodes()[--at];
        if (node.kind != Instruction::Kind::ordinary) return std::nullopt;
        auto effects = effects_of(node, symbols);
        if (!effects) return std::nullopt;
        auto unchanged = [&](unsigned number) {
            return std::find(written.begin(), written.end(), number) == written.end();
        };
        bool sets = std::any_of(effects->registers.begin(), effects->registers.end(),
                                [&](const RegisterUse& use) {
                                    return use.writes && use.dwarf_number == kFirstParameter;
                                });
        if (!sets) {
            for (const RegisterUse& use : effects->registers)
                if (use.writes) written.push_back(use.dwarf_number);
            continue;
        }
        auto is_kept = [&](std::optional<unsigned> number) {
            return !number || (is_kept_by_calls(*number) && unchanged(*number));
        };
        if (effects->address && is_kept(effects->address->base) &&
            is_kept(effects->address->index)) {
            auto address = accessed_address(*effects->address, registers, RunAddress());
            return address ? std::optional(RunAddress(*address)) : std::nullopt;
        }
        if (effects->is_copy)
            for (const RegisterUse& use : effects->registers)
                if (use.reads && !use.writes && is_kept(use.dwarf_number))
                    if (auto value = registers.get(use.dwarf_number)) return RunAddress(*value);
        return std::nullopt;
    }
    return std::nullopt;
}

}  // namespace lantern
