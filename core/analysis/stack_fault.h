// Faults that are the stack's: it is full, one frame is larger than what was left of it, or its
// pointer leads elsewhere.
#pragma once

#include <string>

#include "core/machine/effects.h"
#include "core/session/moment.h"

namespace lantern {

// What to say behind "it wrote to address X", such as ", just past the end of its stack: …"; empty
// where the stack has no part in it. `uses_stack_pointer`: the access was made through the stack
// pointer or the frame pointer.
std::string stack_fault_cause(const Moment& moment, ThreadId thread, RunAddress at,
                              bool uses_stack_pointer);

}  // namespace lantern
