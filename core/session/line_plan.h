// What the machine code of a stretch of source can do next: where it can leave to, and where it calls.
#pragma once

#include <set>
#include <vector>

#include "core/target/target.h"

namespace lantern {

struct LinePlan {
    std::vector<FileRange> ranges;
    std::set<RunAddress> exits;           // addresses outside of the ranges that control can reach from them directly
    std::set<RunAddress> calls;           // call instructions inside
    bool is_complete = true;              // false: some bytes are no instruction, so there may be ways out not listed
    std::set<RunAddress> computed_jumps;  // where control goes from these is known only when it gets there
};

// Decodes the ranges. Returns from the function are not exits: whoever steps also watches the return address.
// Throws MemoryError.
LinePlan plan_ranges(Target& target, const Module& module, std::vector<FileRange> ranges);

// All stretches of `function` that belong to the same line as `line`.
std::vector<FileRange> ranges_of_line(const ModuleSymbols& symbols, const Function& function, const SourceLine& line);

}  // namespace lantern
