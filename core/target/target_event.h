// What a live process tells of itself, and what it does about its children.
#pragma once

#include <cstdint>

#include "core/target/signal_origin.h"
#include "core/target/target.h"

namespace lantern {

// Whom to stay with when the process forks. With both, the child waits where it was born until it
// is selected.
enum class Follow { parent, child, both };

// What made a thread of the target stop.
struct TargetEvent {
    enum class Kind {
        trap,            // one of our breakpoint bytes; the program counter is back on it
        stepped,         // the single step that was asked for is done
        signal,          // a signal is about to be delivered
        interrupted,     // we were asked to pause it
        watched,         // a debug register met an access: `watches` says which
        touched,         // memory that is watched by its page's protection was written or read
        thread_started,  // `thread` is new and has run nothing yet
        thread_ending,   // `thread` is about to be gone; its stack can still be read
        forked,  // `thread` made the process `other`, or, where children are followed, `other` made
                 // us
        system_call_entered,
        system_call_left,
        replaced,  // it became another program (exec)
        exited,    // it ended by itself
        killed,    // a signal ended it
    };
    Kind kind = Kind::stepped;
    ThreadId thread = 0;
    int signal = 0;
    int exit_code = 0;
    bool is_fault = false;       // the signal comes from the instruction at the program counter
    RunAddress fault_address{};  // what the faulting instruction touched
    SignalOrigin origin{};       // of a signal
    std::uint64_t batch = 0;     // events that came before the threads went on again share it
    unsigned watches = 0;        // one bit for each debug register
    pid_t other = 0;
    long system_call = -1;       // the one that touched watched memory
    bool call_is_known = false;  // where it writes is known by its arguments

    bool is_end() const { return kind == Kind::exited || kind == Kind::killed; }
};

}  // namespace lantern
