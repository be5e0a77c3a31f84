// What is worked out from the instructions of one function and asked for again at each stop in it:
// made once, and kept with the symbols of its module.
#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "core/code/frame_slots.h"
#include "core/code/joined_rows.h"
#include "core/code/jumped_past.h"
#include "core/code/ways.h"
#include "core/machine/register_effects.h"

namespace lantern {

class KeptCode {
  public:
    // Both are borrowed. Throws FormatError.
    KeptCode(const ModuleSymbols& symbols, const Function& function)
        : symbols_(symbols), function_(function), flow_(symbols, function) {}

    const FlowGraph& flow() const { return flow_; }
    ByteSpan bytes_of(std::uint32_t node) const;  // borrowed from the file
    const Ways& ways_back();
    const Blocks& blocks();
    const JoinedRows& joined_rows();
    const JumpedPast& jumped_past();
    // They take much room: those of small functions are made anew each time, which takes none.
    std::shared_ptr<const FrameSlots> slots();
    // By node; nothing where the bytes are no instruction.
    const std::vector<std::optional<RegisterEffects>>& effects();
    std::optional<bool> never_returns;  // see never_returns.h

  private:
    const ModuleSymbols& symbols_;
    const Function& function_;
    FlowGraph flow_;
    std::optional<Ways> ways_back_;
    std::optional<Blocks> blocks_;
    std::optional<JoinedRows> joined_rows_;
    std::optional<JumpedPast> jumped_past_;
    std::shared_ptr<const FrameSlots> slots_;
    std::vector<std::optional<RegisterEffects>> effects_;
};

// For as long as the symbols are there. From one thread only. Throws FormatError.
KeptCode& kept_code(const ModuleSymbols& symbols, const Function& function);

}  // namespace lantern
