// The calls between a frame and its caller that were jumps: they left nothing on the stack (DWARF 5
// §3.4.1), and are told where there is only one way by such calls from the function that was called
// to the one that runs.
#pragma once

#include <vector>

#include "core/symbols/module_symbols.h"

namespace lantern {

struct TailStep {
    const Function* function = nullptr;
    std::vector<FileAddress> jumps;  // it left by one of them; seldom more than one
};

// Outermost first; empty where there is no way, where ways lead by different functions, or where
// there is too much to look through. More than one step only where none of the functions jumps to
// an address in a register: they could have been left by that.
std::vector<TailStep> only_tail_way(const ModuleSymbols& symbols, const Function& from,
                                    const Function& to);

// Whether the function may have been entered once more since it was called, by jumps that lead from
// it back to it: what it was called with is not known then. A jump to an address in a register may
// lead anywhere.
bool may_come_back(const ModuleSymbols& symbols, const Function& function);

}  // namespace lantern
