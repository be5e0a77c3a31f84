// Rust's async functions and blocks. The compiler makes two functions of one: what is called only
// makes a task, a value that keeps what the user's code needs; the user's code becomes the body,
// which is polled, again and again. Each time it goes on where it waited, which is one of the
// task's variants:
//
//     async fn moor(boat: Boat)    a::moor                     makes the task: {async_fn_env#0}
//                                  a::moor::{async_fn#0}       the body, handed Pin<&mut task>
//     Unresumed (0)                not begun: it holds what it was called with
//     Returned (1), Panicked (2)   at its end: it holds nothing
//     Suspend0, Suspend1 … (3 …)   it waits, at the line that the variant says
#pragma once

#include <vector>

#include "core/symbols/function.h"

namespace lantern {

class ModuleSymbols;

bool is_async_task(const Type& type);
// What a body is handed, and the task it leads to; null where the function is no body.
struct AsyncParameter {
    const Variable* variable = nullptr;  // Pin<&mut task>: a pointer
    const Type* task = nullptr;
};
std::optional<AsyncParameter> async_parameter(const FunctionBody& body);

// The context that bodies are polled with, inlined ones too, is the compiler's own.
void hide_contexts(Scope& scope);
// The second names of what a body was called with are, too.
void take_as_async_body(const Function& function, FunctionBody& body);

// Of the async functions of this name: nothing may be left of what only makes a task.
std::vector<const Function*> async_bodies_named(const ModuleSymbols& symbols,
                                                const std::string& name);
// Instead of each function that only makes a task, the body of the user's code; the others as they
// are.
std::vector<const Function*> with_async_bodies(const ModuleSymbols& symbols,
                                               const std::vector<const Function*>& functions);

}  // namespace lantern
