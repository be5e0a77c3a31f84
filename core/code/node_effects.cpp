#include "core/code/node_effects.h"

namespace lantern {

std::optional<Effects> effects_of(const FlowGraph::Node& node, const ModuleSymbols& symbols) {
    return effects_of(symbols.elf().loaded_bytes(node.address, node.length));
}

}  // namespace lantern
