// The calls between a frame and its caller that were jumps: they left nothing on the stack (DWARF 5
// §3.4.1). Where nothing is recorded of calls, the code says by which jumps a function is left.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "core/symbols/module_symbols.h"

namespace lantern {

struct TailStep {
    const Function* function = nullptr;
    std::vector<FileAddress> jumps;  // it left by one of them
};

// What runs now. A function of another module, or one without debug information, is known by where
// it begins, if at all.
struct TailEnd {
    const ModuleSymbols* symbols = nullptr;  // null: code of no module
    const Function* function = nullptr;
    std::optional<FileAddress> begins;
    // Whether the linkage table leads there from the entry at that address of the module that was
    // called into, as the loader has bound it.
    std::function<bool(FileAddress)> is_behind;
};

struct TailWay {
    std::vector<TailStep> steps;  // outermost first; none: it is not known that there is a way
    // Functions may have run between the last of them and the one that runs now.
    bool may_lack = false;
};

// The function that was called has left by a jump, as another one runs: that much is certain, and
// so is each next one that all its jumps lead to. All others are told only where one way leads to
// the one that runs, and no function that could be reached jumps to an address in a register.
TailWay tail_way(const ModuleSymbols& symbols, const Function& called, const TailEnd& running);

// Whether the function may have been entered once more since it was called, by jumps that lead from
// it back to it: what it was called with is not known then. A jump to an address in a register may
// lead anywhere.
bool may_come_back(const ModuleSymbols& symbols, const Function& function);

}  // namespace lantern
