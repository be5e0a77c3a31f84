// Which other threads have the same object in hand: who may have changed it meanwhile.
#pragma once

#include <string>

#include "core/session/moment.h"

namespace lantern {

// The variable of a thread, in its innermost frames of the user's own code, that leads into that
// memory; empty if there is none.
std::string holder_in_thread(const Moment& moment, ThreadId thread, RunRange object);

}  // namespace lantern
