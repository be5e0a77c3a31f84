// What the machine code tells of a returned value where a convention alone does not: optimisers
// drop values that no caller uses, and the copy of the address that a caller gave for one.
#pragma once

#include <optional>

#include "core/code/flow_graph.h"
#include "core/target/target.h"

namespace lantern {

// True where the compiler may have changed how the function returns: it is called from its own
// program only, and optimised.
bool may_return_otherwise(const ModuleSymbols& symbols, const Function& function);

// True if on every way to a return the function writes this register (DWARF number) last and reads
// it no more: nothing but returning it can be the reason.
bool leaves_value_in(const FlowGraph& flow, const ModuleSymbols& symbols, unsigned dwarf_register);

// True if from this address on the code reads the register before it writes it, on some way.
bool reads_first(const FlowGraph& flow, const ModuleSymbols& symbols, FileAddress from,
                 unsigned dwarf_register);

// The address that the caller put into the first parameter's register for the call that has just
// come back to `back`, with the registers as they are then. Nothing where the straight code before
// the call does not tell.
std::optional<RunAddress> address_given(const FlowGraph& caller, const ModuleSymbols& symbols,
                                        FileAddress back, const Registers& registers);

}  // namespace lantern
