// Where control lands when a frame is left without returning: by a C++ exception, a Rust panic, or
// longjmp.
#pragma once

#include <optional>
#include <vector>

#include "core/target/target.h"

namespace lantern {

struct LandingHook {
    enum class Kind { caught, jumps } kind = Kind::caught;  // jumps: longjmp is about to
    RunAddress address;
};

// Those of the loaded modules; the libraries that have them are looked at by their symbols alone.
std::vector<LandingHook> find_landing_hooks(Target& target);

}  // namespace lantern
