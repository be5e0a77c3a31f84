#include "core/session/movement.h"

#include <signal.h>

#include <algorithm>

#include "core/support/error.h"

namespace lantern {
namespace {

// Signals whose default action is harmless, or means something only to a parent.
bool ends_nothing(int signal) {
    return signal == SIGCHLD || signal == SIGCONT || signal == SIGURG || signal == SIGWINCH || signal == SIGSTOP ||
           signal == SIGTSTP || signal == SIGTTIN || signal == SIGTTOU;
}

}  // namespace

Movement::Movement(Session& session) : session_(session), process_(session.process()) {}

RunAddress Movement::frame_identity(ThreadId thread) {
    Unwinder walk(process_, thread);
    if (auto address = walk.frame(0)->call_frame_address) return *address;
    return process_.registers(thread).stack_pointer();
}

// A condition that cannot be computed stops the program, and says so: silence could hide the one case that matters.
bool Movement::condition_holds(Breakpoint& breakpoint, ThreadId thread) {
    breakpoint.problem.clear();
    if (breakpoint.condition.empty()) return true;
    try {
        Unwinder stack(process_, thread);
        EvaluationContext context{&process_, thread, stack.frame(0), &session_.results_, nullptr, {}};
        if (!breakpoint.compiled || breakpoint.compiled_for != context.frame->function) {
            breakpoint.compiled = std::make_shared<Expression>(breakpoint.condition, context);
            breakpoint.compiled_for = context.frame->function;
        }
        return breakpoint.compiled->truth(context);
    } catch (const Error& error) {
        breakpoint.problem = error.what();
        return true;
    }
}

// The numbers of the breakpoints that a thread has arrived at and that want it to stop.
std::vector<unsigned> Movement::count_hits(ThreadId thread) {
    RunAddress address = process_.registers(thread).program_counter();
    std::vector<unsigned> numbers;
    for (Breakpoint& breakpoint : session_.breakpoints_) {
        bool here = breakpoint.is_on && std::any_of(breakpoint.sites.begin(), breakpoint.sites.end(),
                                                    [&](const Breakpoint::Site& site) { return site.address == address; });
        if (!here) continue;
        if (!condition_holds(breakpoint, thread)) {
            ++breakpoint.passes;
            continue;
        }
        ++breakpoint.hits;
        numbers.push_back(breakpoint.number);
    }
    return numbers;
}

bool Movement::passes_silently(const TargetEvent& event) {
    if (event.is_fault || event.signal == SIGTRAP) return false;
    if (event.signal == SIGINT) return false;  // Ctrl-C on the shared terminal
    return ends_nothing(event.signal) || process_.ignores_signal(event.signal) || process_.handles_signal(event.signal);
}

Stop Movement::stop_for_signal(const TargetEvent& event) {
    Stop stop;
    stop.thread = event.thread;
    stop.reason = StopReason::signal;
    if (event.signal == SIGINT) {
        // Our way of pausing it: the program does not get to see it.
        stop.reason = StopReason::paused;
        return stop;
    }
    stop.signal = event.signal;
    stop.is_fault = event.is_fault;
    stop.fault_address = event.fault_address;
    stop.has_handler = process_.handles_signal(event.signal);
    if (event.signal != SIGTRAP) process_.deliver(event.thread, event.signal);
    return stop;
}

std::optional<Stop> Movement::judge(const TargetEvent& event, const std::set<RunAddress>& temporary, const Arrived& arrived) {
    Stop stop;
    stop.thread = event.thread;
    switch (event.kind) {
        case TargetEvent::Kind::exited:
            stop.reason = StopReason::exited;
            stop.exit_code = event.exit_code;
            return stop;
        case TargetEvent::Kind::killed:
            stop.reason = StopReason::killed;
            stop.signal = event.signal;
            return stop;
        case TargetEvent::Kind::interrupted: stop.reason = StopReason::paused; return stop;
        case TargetEvent::Kind::replaced: stop.reason = StopReason::replaced; return stop;
        case TargetEvent::Kind::signal:
            if (passes_silently(event)) {
                process_.deliver(event.thread, event.signal);
                return std::nullopt;
            }
            return stop_for_signal(event);
        case TargetEvent::Kind::stepped: return std::nullopt;
        case TargetEvent::Kind::trap: break;
    }
    RunAddress at = process_.registers(event.thread).program_counter();
    bool counts = temporary.count(at) && arrived(event.thread);
    stop.breakpoints = count_hits(event.thread);
    if (counts) stop.reason = StopReason::stepped;
    else if (!stop.breakpoints.empty()) stop.reason = StopReason::breakpoint;
    else return std::nullopt;
    return stop;
}

// A thread that stands on a breakpoint byte steps over it alone, so that no other thread slips past.
std::optional<Stop> Movement::leave_traps(const std::set<RunAddress>& temporary, const Arrived& arrived) {
    for (ThreadId thread : process_.threads()) {
        while (process_.is_alive() && process_.has_trap(process_.registers(thread).program_counter())) {
            TargetEvent event = process_.step(thread);
            bool onto_next = event.kind == TargetEvent::Kind::stepped && event.thread == thread &&
                             process_.has_trap(process_.registers(thread).program_counter());
            if (onto_next) event.kind = TargetEvent::Kind::trap;
            if (auto stop = judge(event, temporary, arrived)) return stop;
        }
    }
    return std::nullopt;
}

Stop Movement::run(const std::set<RunAddress>& temporary, const Arrived& arrived) {
    // Whatever ends the movement, the temporary bytes go.
    struct Insertion {
        LiveProcess& process;
        std::vector<RunAddress> inserted;
        ~Insertion() {
            for (RunAddress address : inserted) {
                try {
                    process.remove_trap(address);
                } catch (const Error&) {  // the memory is gone, and the byte with it
                }
            }
        }
    } insertion{process_, {}};
    for (RunAddress address : temporary) {
        process_.insert_trap(address);
        insertion.inserted.push_back(address);
    }
    for (;;) {
        while (auto pending = process_.take_pending())
            if (auto stop = judge(*pending, temporary, arrived)) return *stop;
        if (auto stop = leave_traps(temporary, arrived)) return *stop;
        if (auto stop = judge(process_.run(), temporary, arrived)) return *stop;
    }
}

Stop Movement::step_instruction() {
    TargetEvent event = process_.step(session_.thread_);
    static const std::set<RunAddress> none;
    if (auto stop = judge(event, none, [](ThreadId) { return false; })) return *stop;
    Stop stop;
    stop.reason = StopReason::stepped;
    stop.thread = session_.thread_;
    stop.breakpoints = count_hits(session_.thread_);
    return stop;
}

}  // namespace lantern
