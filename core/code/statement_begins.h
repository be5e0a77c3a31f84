// A compiler makes several stretches of code out of one line. Which of them begin the line's
// statement anew, and which only go on with it?
#pragma once

#include "core/code/flow_graph.h"

namespace lantern {

// The positions at which a pass through the line begins, in one copy of its code (`inlined`; null:
// the function itself): where it is come to from another statement, and, for a stretch that follows
// an earlier one, where a part of the line that has run already runs again. What a loop leads back
// to does not count as run already. Statements only, marked or joined (see joined_rows.h), unless
// the line has none in this copy. Each
// address once. Borrowed from `positions`, all those of the function.
std::vector<const CodePosition*> statement_begins(const FlowGraph& flow,
                                                  const FunctionPositions& positions,
                                                  const Scope* inlined, const std::string& file,
                                                  std::uint32_t line);
// Of those, the ones that a part of the line has run before on every way: a copy of it follows
// another, as in the body of a loop that was unrolled.
std::vector<const CodePosition*> statement_begins_again(const FlowGraph& flow,
                                                        const FunctionPositions& positions,
                                                        const Scope* inlined,
                                                        const std::string& file,
                                                        std::uint32_t line);

}  // namespace lantern
