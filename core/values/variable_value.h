// The value of a variable in a frame: where its location list says it is at the frame's program
// counter.
#pragma once

#include "core/symbols/function.h"
#include "core/unwind/frame.h"
#include "core/values/value.h"

namespace lantern {

// Never throws for what the program or its debug information lack: the value then says why it is
// not available.
Value value_of_variable(Target& target, ThreadId thread, const Frame& frame,
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
