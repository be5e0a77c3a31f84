// All that is worked out from the instructions of one function, made at once.
#pragma once

#include "core/code/dataflow.h"
#include "core/code/frame_slots.h"

namespace lantern {

// Both are borrowed. Throws FormatError.
struct FunctionCode {
    FunctionCode(const ModuleSymbols& the_symbols, const Function& function)
        : symbols(the_symbols),
          flow(symbols, function),
          blocks(flow),
          data(blocks, symbols),
          slots(blocks, symbols) {}
    FunctionCode(const FunctionCode&) = delete;
    FunctionCode& operator=(const FunctionCode&) = delete;

    const FlowGraph::Node& node(std::uint32_t number) const { return flow.nodes()[number]; }
    ByteSpan bytes(std::uint32_t number) const {
        return symbols.elf().loaded_bytes(node(number).address, node(number).length);
    }

    const ModuleSymbols& symbols;
    FlowGraph flow;
    Blocks blocks;
    Dataflow data;
    FrameSlots slots;
};

}  // namespace lantern
