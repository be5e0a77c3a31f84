// Threads that stand in the middle of a request to the allocator. In a program of one thread the
// library takes no lock, so that its lists do not tell.
#pragma once

#include <vector>

#include "core/target/target.h"

namespace lantern {

// `library` is the module that the allocator is in. A thread that is at the first instruction of
// malloc or another has not begun.
std::vector<ThreadId> threads_in_request(Target& target, const Module& library);

}  // namespace lantern
