// Where the body of an async function goes on. It begins with a jump through a table by the state
// of its task:
//
//     movzx eax, [rdi+32]             the state
//     movsxd rcx, [table+rax*4]
//     jmp   rcx                       0: the beginning; 1, 2: it panics; 3 …: behind a wait
#pragma once

#include "core/code/flow_graph.h"
#include "core/symbols/async.h"

namespace lantern {

// The node; kNone where the code does not say it for certain (few states are compared one by one).
std::uint32_t resumed_at(const FlowGraph& flow, std::uint64_t state);

// Where it goes on behind a wait of that line; line 0: it has ended, and only says so and panics.
struct Resumption {
    std::uint32_t node = 0, line = 0;
};
// Of all states but that in which it begins.
std::vector<Resumption> resumptions(const FlowGraph& flow, const FunctionBody& body);

}  // namespace lantern
