// The value of a variable in a frame: where its location list says it is at the frame's program
// counter.
#pragma once

#include <optional>

#include "core/symbols/function.h"
#include "core/unwind/frame.h"
#include "core/values/value.h"

namespace lantern {

// Never throws for what the program or its debug information lack: the value then says why it is
// not available.
Value value_of_variable(Target& target, ThreadId thread, const Frame& frame,
                        const Variable& variable);

// The value was read at a place on the stack that the compiler's account, word for word, takes for
// the value itself (see dwarf::UnreadSlot): likely, not sure.
bool is_read_where_account_points(const Frame& frame, const Variable& variable);

// The other value that the variable's location may mean there, where the compiler wrote it with
// more bits than the variable has (see dwarf::evaluate_narrow); nothing where both ways agree.
std::optional<Value> narrower_value_of_variable(Target& target, const Frame& frame,
                                                const Variable& variable);

// A global of a module: the same wherever the thread stands, but for what is thread-local. `frame`
// may be null.
Value value_of_global(Target& target, ThreadId thread, const Frame* frame, const Module& module,
                      const Variable& variable);

// A register of a frame as a value of `type`; unavailable where the frame does not know it.
Value value_of_register(Target& target, ThreadId thread, const Frame& frame,
                        const RegisterName& name, const Type& type);

// Writes a value that lives in memory or in a register. A register of an outer frame is refused
// with the reason.
void write_value(Target& target, ThreadId thread, const Value& place, ByteSpan bytes);

}  // namespace lantern
