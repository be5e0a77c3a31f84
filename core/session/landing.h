// Where control lands when a frame is left without returning: by a C++ exception, a Rust panic, or
// longjmp.
#pragma once

#include <optional>
#include <vector>

#include "core/target/target.h"

namespace lantern {

struct LandingHook {
    // A C++ handler begins; what a Rust panic has left is cleaned up; longjmp is about to jump.
    enum class Kind { caught, recovered, jumps } kind = Kind::caught;
    RunAddress address;
};

// Those of the loaded modules; the libraries that have them are looked at by their symbols alone.
std::vector<LandingHook> find_landing_hooks(Target& target);

// Where a thread goes on that stands at one of them, and where its stack is then. Nothing: it
// stands at none, or the buffer of longjmp cannot be read.
struct Landing {
    LandingHook::Kind kind = LandingHook::Kind::caught;
    RunAddress stack_pointer;
    RunAddress program_counter;  // of a longjmp
};
std::optional<Landing> landing_of(Target& target, LandingHook::Kind kind,
                                  const Registers& registers);
std::optional<Landing> landing_at(Target& target, const std::vector<LandingHook>& hooks,
                                  ThreadId thread);

}  // namespace lantern
