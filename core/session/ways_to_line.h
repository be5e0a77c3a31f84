// The compiler may make several stretches of code out of one line. A breakpoint on the line must stand on every way to it, and
// on no way twice.
#pragma once

#include <vector>

#include "core/symbols/code_query.h"
#include "core/target/target.h"

namespace lantern {

// Of the stretches of a line in one function, those that can be reached from the function's entry without passing `chosen` or an
// earlier one of the result: where the first statement of each begins. Jumps to computed places are not followed, and the function's very entry is left to whoever chose a place behind it. Addresses of the
// file.
std::vector<FileAddress> further_ways(Target& target, const Module& module, const Function& function, const std::vector<LineBlock>& blocks,
                                      const std::vector<FileAddress>& chosen);

}  // namespace lantern
