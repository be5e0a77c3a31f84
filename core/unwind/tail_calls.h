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

// Outermost first; empty where there is no way, ways by different functions, or too much to look
// through. As far
// as debug information and the code tell: a jump to an address in a register leads nowhere here.
std::vector<TailStep> only_tail_way(const ModuleSymbols& symbols, const Function& from,
                                    const Function& to);

}  // namespace lantern
