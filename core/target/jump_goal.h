// Where the jump that a thread stands at leads to, as its registers are now.
#pragma once

#include <optional>

#include "core/target/target.h"

namespace lantern {

// A run address: behind the jump, where its condition does not hold. Nothing where the thread
// stands at no jump, or where that cannot be told.
std::optional<RunAddress> jump_goal(Target& target, ThreadId thread);

}  // namespace lantern
