// The code that an exception comes through on its way to a handler: it compares the type, and
// cleans up. Compilers leave it out of the scopes of variables that live on in the handler.
//
//         call tow                      in the scope of `boats`
//     L:  cmp  rdx, 1                   in none: where the exception lands
//         je   H
//         call _Unwind_Resume
//     H:  mov  rdi, rax                 in the scope of `boats` again
//         call __cxa_begin_catch
#pragma once

#include "core/code/flow_graph.h"

namespace lantern {

// By node; as far as it is known where calls land. It ends where a handler begins (Itanium C++ ABI
// §2.5.3). Empty where nothing lands.
std::vector<bool> dispatch_of(const ModuleSymbols& symbols, const FlowGraph& flow);

}  // namespace lantern
