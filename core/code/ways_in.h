// Where control comes into an inlined copy of a function. The compiler names one place; where it
// has copied or threaded the code, there are others.
#pragma once

#include <vector>

#include "core/code/flow_graph.h"

namespace lantern {

// Statements of the copy that are come to on some way on which nothing of it has run before, loops'
// ways back left out; its first one, where something of it has, and then a statement around it; and
// the place that the compiler names. By address. Empty where not all ways through the function are
// known. (Where the compiler says which row a copy begins at, other calls that were inlined may
// share its code: their ways into that do not count.)
std::vector<FileAddress> ways_into(const FlowGraph& flow, const FunctionPositions& positions,
                                   const Scope& copy, const CodePosition& first);

}  // namespace lantern
