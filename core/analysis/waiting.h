// What a thread that does not run waits for: a mutex and whose it is, a condition, a thread to end,
// a child, something to read.
#pragma once

#include <string>

#include "core/unwind/unwinder.h"

namespace lantern {

struct Awaited {
    std::string what;    // "mutex chambers+24, held by thread 2"; empty: nothing that is known
    ThreadId owner = 0;  // of a mutex; 0: not known, or no mutex
};

Awaited awaited_by(Target& target, ThreadId thread, Unwinder& stack);

}  // namespace lantern
