// Runs a function of the program for its value, when an expression asks for it.
#pragma once

#include "core/session/parts.h"

namespace lantern {

// On the thread that is looked at; registers and stack are as before when it returns or throws.
// Throws RequestError, with the reason, when it does not return.
Value call_function(SessionParts& parts, const FunctionCall& call);

}  // namespace lantern
