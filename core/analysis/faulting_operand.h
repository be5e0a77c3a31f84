// Which operand of an instruction touched an address.
#pragma once

#include "core/machine/effects.h"

namespace lantern {

// The operand whose bytes hold the run address; of those that cannot be computed the only one.
// Null: none. `next` is the instruction behind.
const MemoryAccess* operand_at(const Effects& effects, const Registers& registers, RunAddress next,
                               std::uint64_t gs_base, RunAddress address);

}  // namespace lantern
