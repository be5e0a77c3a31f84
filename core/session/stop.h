// Why and where the program stopped, as plain facts.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/session/breakpoint.h"
#include "core/target/live_process.h"
#include "core/values/value.h"

namespace lantern {

enum class StopReason {
    none,          // nothing has run yet
    launched,      // before the first instruction
    breakpoint,
    stepped,       // a movement arrived
    returned,      // `out` came back to the caller
    reached,       // the place of `reach`
    signal,
    paused,        // Ctrl-C or `pause`
    replaced,      // exec
    exited,
    killed,        // a signal ended it
};

struct ReturnedValue {
    std::string function;
    Value value;  // may be unavailable, with the reason
};

struct Stop {
    StopReason reason = StopReason::none;
    std::vector<unsigned> breakpoints;  // whose sites are at the program counter
    ThreadId thread = 0;
    int signal = 0;
    int exit_code = 0;
    bool is_fault = false;
    RunAddress fault_address{};
    bool has_handler = false;  // of the signal, in the program
    std::optional<ReturnedValue> returned;
    bool left_function = false;        // a step ran off the end of its function
    std::string unreached;             // the place that `reach` did not get to
    std::uint64_t target_stops = 0;    // how often the target stopped during this movement

    bool is_end() const { return reason == StopReason::exited || reason == StopReason::killed; }
};

}  // namespace lantern
