#include "core/code/dispatch.h"

#include "core/object/imports.h"
#include "core/symbols/module_symbols.h"
#include "core/target/linkage.h"

namespace lantern {
namespace {

constexpr std::string_view kBeginsHandler = "__cxa_begin_catch";

// A call of nobody knows what may be it (-fno-plt).
bool may_begin_handler(const ModuleSymbols& symbols, const FlowGraph::Node& node) {
    if (node.kind != Instruction::Kind::call) return false;
    if (!node.target) return true;
    if (auto slot = slot_of_linkage_entry(symbols, *node.target))
        return symbols.imports().name_of_slot(*slot) == kBeginsHandler;
    const ElfSymbol* symbol = symbols.symbol_table().covering(*node.target);
    return symbol && symbol->address == *node.target && symbol->name == kBeginsHandler;
}

}  // namespace

std::vector<bool> dispatch_of(const ModuleSymbols& symbols, const FlowGraph& flow) {
    std::vector<std::uint32_t> waiting;
    for (const FlowGraph::Node& node : flow.nodes())
        if (node.landing != FlowGraph::kNone) waiting.push_back(node.landing);
    if (waiting.empty()) return {};
    std::vector<bool> found(flow.nodes().size());
    while (!waiting.empty()) {
        std::uint32_t at = waiting.back();
        waiting.pop_back();
        if (at == FlowGraph::kNone || found[at]) continue;
        found[at] = true;
        const FlowGraph::Node& node = flow.nodes()[at];
        if (may_begin_handler(symbols, node)) continue;
        waiting.push_back(node.next);
        waiting.push_back(node.branch);
    }
    return found;
}

}  // namespace lantern
