// Calls that never came back: who calls whom in turn, and how the arguments change from turn to
// turn.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/session/moment.h"

namespace lantern {

struct Recursion {
    // One turn: whom each of them calls stands before it, and the last is called by the first.
    std::vector<std::string> functions;
    std::uint64_t turns = 0;             // about so many are on the stack; 0: not known
    std::vector<std::string> arguments;  // "n goes up by 1 each time and is 38 112 now"
};

// Nothing where the innermost calls of a stack do not repeat themselves.
std::optional<Recursion> recursion_of(Target& target, Unwinder& stack, ThreadId thread);
// "admit calls itself and does not come back"
std::string recursion_words(const Recursion& recursion);

}  // namespace lantern
