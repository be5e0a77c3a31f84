// Why and where the program stopped, as plain facts.
#pragma once

#include "core/target/signal_origin.h"

#include <optional>
#include <string>
#include <vector>

#include "core/session/breakpoint.h"
#include "core/target/target.h"
#include "core/values/value_view.h"

namespace lantern {

enum class StopReason {
    none,      // nothing has run yet
    attached,  // we have taken hold of it
    released,  // it runs on without us
    selected,  // another process is looked at
    kept,      // as a core file kept it; `signal` says what ended it, 0 if nothing did
    launched,  // before the first instruction
    breakpoint,
    event,        // what a breakpoint on no place waited for; `cause` says which
    watch_ended,  // the frame of a watched local variable is left
    stepped,      // a movement arrived
    diverted,     // moved without running
    returned,     // `out` came back to the caller
    reached,      // the place of `reach`
    signal,
    paused,    // Ctrl-C or `pause`
    replaced,  // exec
    exited,
    killed,  // a signal ended it
};

struct ReturnedValue {
    std::string function;
    Value value;  // may be unavailable, with the reason
    // Of a call that a step went over: how it looked when it came back. What holds the value may be
    // gone when the step is done, as a temporary is.
    std::optional<ValueView> then = std::nullopt;
};

// What a watchpoint saw.
// What an instruction has done to a watched value.
enum class Touched {
    changed,
    written_again,  // with what was there
    read,
    unsure,  // read, or written with what was there: the instruction is not known, or does both
};
// "changed", "written-again", "read", "unsure"
std::string_view touched_word(Touched touched);

struct WatchChange {
    unsigned number = 0;
    std::string expression;
    Value before, after;
    bool is_first = false;  // nothing wrote it between the moment it began to be watched and this
    Touched touched = Touched::changed;
    std::string file;  // of the statement that did it; empty: not known
    std::uint32_t line = 0;
    std::string function;
    RunAddress instruction;  // the one that did it, or the one behind it where that cannot be told
    std::string by;          // such as: the system call read; empty: an instruction of the program
};

// A fact about an event: "threw", "TollError: no berth"; "loaded", a path.
struct StopFact {
    std::string label, text;
};

// What can be kept and shown: it points to nothing of the program.
struct StopFacts {
    StopReason reason = StopReason::none;
    std::vector<unsigned> breakpoints;  // whose sites are at the program counter
    ThreadId thread = 0;
    int signal = 0;
    int exit_code = 0;
    bool is_fault = false;
    RunAddress fault_address{};
    SignalOrigin origin;         // of the signal
    bool knows_origin = true;    // false: a core that does not say
    bool has_handler = false;    // of the signal, in the program
    Cause cause = Cause::place;  // of an event
    std::vector<StopFact> facts;
    bool by_instruction = false;  // a step of one machine instruction
    bool left_function = false;   // a step ran off the end of its function
    std::string unreached;        // the place that `reach` did not get to
    unsigned process =
        0;  // the number of the process that it is about, where there are several; else 0
    unsigned next_process =
        0;  // of an end: the number of another one that is left, and is looked at now; 0: none
    std::uint64_t target_stops = 0;  // how often the target stopped during this movement

    bool is_end() const { return reason == StopReason::exited || reason == StopReason::killed; }
};

struct Stop : StopFacts {
    std::optional<ReturnedValue> returned;
    std::vector<ReturnedValue>
        calls;  // what the calls of the line that was stepped over returned, in order
    std::vector<WatchChange> changes;
    std::optional<CodePosition>
        position;  // which of the rows of its address it is for; nothing: the last
};

}  // namespace lantern
