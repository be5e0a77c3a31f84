// Where the body of an async function goes on. It begins with a jump through a table by the state
// of its task:
//
//     movzx eax, [rdi+32]             the state
//     movsxd rcx, [table+rax*4]
//     jmp   rcx                       0: the beginning; 1, 2: it panics; 3 …: behind a wait
#pragma once

#include "core/code/flow_graph.h"

namespace lantern {

// The node; kNone where the code does not say it for certain (few states are compared one by one).
std::uint32_t resumed_at(const FlowGraph& flow, std::uint64_t state);

}  // namespace lantern
