// How a movement works. It wants its temporary stops in the probe table beside the breakpoints,
// lets the threads go, and asks of each event what it means (judging.cpp): a verdict stops the
// movement, none lets the thread go on. What is wanted and what stands in the code differ only
// where something was added or dropped, so most movements write nothing.
#include "core/session/movement.h"

#include <fmt/format.h>
#include <signal.h>

#include <algorithm>
#include <utility>

#include "core/machine/system_call.h"
#include "core/session/events.h"
#include "core/session/landing.h"
#include "core/session/system_calls.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
Movement::Movement(SessionParts& parts, ThreadId only)
    : parts_(parts),
      process_(parts.debuggee.process()),
      only_(only),
      hits_(parts),
      watching_(parts) {
    process_.trace_system_calls(parts.breakpoints.is_any_on(Cause::system_call));
    process_.watch_system_calls(parts.breakpoints.is_any_watched_by_registers());
    // Where the user has seen that the current thread stands it passes what lies under it. One that
    // was only held meets it.
    if (parts.is_seen) process_.has_told_of_trap(parts.selection.thread());
    if (const CodePosition* position = parts.selection.standing()) standing_ = *position;
    parts.selection.leave_standing();
}

Movement::~Movement() = default;

RunAddress Movement::frame_identity(ThreadId thread) {
    Unwinder walk(process_, thread);
    if (auto address = walk.innermost().call_frame_address) return *address;
    return process_.registers(thread).stack_pointer();
}

std::optional<Stop> Movement::judge_cause(Cause cause, const TargetEvent& event, Stop stop,
                                          std::vector<StopFact> facts) {
    for (Breakpoint& breakpoint : parts_.breakpoints.all()) {
        if (!breakpoint.is_on || breakpoint.cause != cause) continue;
        bool fits = breakpoint.subject.empty() ||
                    std::any_of(facts.begin(), facts.end(), [&](const StopFact& fact) {
                        return fact.text.find(breakpoint.subject) != std::string::npos;
                    });
        if (fits && wants_to_stop(breakpoint, event.thread))
            stop.breakpoints.push_back(breakpoint.number);
    }
    if (stop.breakpoints.empty()) return std::nullopt;
    stop.reason = StopReason::event;
    stop.cause = cause;
    stop.facts = std::move(facts);
    return stop;
}

LiveProcess::Passes Movement::passes() {
    return [this](const TargetEvent& event) {
        found_ = judge(event);
        return !found_;
    };
}

// The end and Ctrl-C are told without having been judged on the way; so is an exec in the very
// moment of another stop.
std::optional<Stop> Movement::judged(const TargetEvent& event) {
    bool is_another_program = event.kind == TargetEvent::Kind::replaced && found_ &&
                              found_->reason != StopReason::replaced &&
                              found_->cause != Cause::exec;
    return event.is_end() || event.kind == TargetEvent::Kind::interrupted || is_another_program
               ? judge(event)
               : found_;
}

// The breakpoints at the address the thread stands at, behind its position there.
std::optional<Stop> Movement::hits_behind_standing(int up_to) {
    if (!standing_) return std::nullopt;
    Stop stop;
    stop.thread = parts_.selection.thread();
    stop.breakpoints = count_hits(stop.thread, stop, standing_->order, up_to);
    if (stop.breakpoints.empty()) return std::nullopt;
    stop.reason = stop.cause == Cause::place ? StopReason::breakpoint : StopReason::event;
    return stop;
}

Stop Movement::advance_to(const CodePosition& position) {
    auto met = hits_behind_standing(position.order);
    if (met && met->position && met->position->order < position.order) return *met;
    Stop stop;
    if (met) stop = *met;
    stop.reason = StopReason::stepped;
    stop.thread = parts_.selection.thread();
    stop.position = position;
    return stop;
}

// What of it could still run is the system's; the others would wait for it, held, for ever.
void Movement::refuse_what_ends() const {
    ThreadId thread = parts_.selection.thread();
    if (process_.is_ending(thread) && process_.threads().size() > 1)
        throw RequestError(fmt::format("thread {} ends here: nothing is left of it to run",
                                       process_.thread_number(thread)),
                           Next::list_threads);
}

namespace {

// Temporary stops, taken out again however the run ends.
class Insertion {
  public:
    explicit Insertion(LiveProcess& process) : process_(process) {}
    Insertion(const Insertion&) = delete;
    Insertion& operator=(const Insertion&) = delete;
    ~Insertion() { remove(); }

    void insert(const std::set<RunAddress>& addresses) {
        for (RunAddress address : addresses) {
            process_.insert_trap(address, ProbeClient::movement);
            inserted_.push_back(address);
        }
    }
    void remove() {
        for (RunAddress address : inserted_) {
            try {
                process_.remove_trap(address, ProbeClient::movement);
            } catch (const Error&) {  // the memory is gone, and the byte with it
            }
        }
        inserted_.clear();
    }

  private:
    LiveProcess& process_;
    std::vector<RunAddress> inserted_;
};

}  // namespace

Stop Movement::run(const std::set<RunAddress>& temporary, const Arrived& arrived,
                   const Positions* positions) {
    if (arrived || only_) refuse_what_ends();
    if (auto met = hits_behind_standing(kAll)) return *met;
    standing_.reset();
    positions_ = positions;
    Insertion insertion(process_);
    insertion.insert(temporary);
    temporary_ = &temporary;
    arrived_ = &arrived;
    if (watching_.any_by_steps()) return run_by_steps();
    foreign_hits_ = 0;
    look_at_jump(parts_.selection.thread());
    TargetEvent event = process_.run(passes(), only_);
    // Deep in a recursion: without the temporary stops to where it comes back, and then on as
    // before.
    while (found_ && found_->reason == StopReason::none) {
        insertion.remove();
        auto stopped = run_home();
        temporary_ = &temporary;
        if (stopped && stopped->reason != StopReason::stepped) return *stopped;
        if (!stopped) home_.reset();  // it cannot be watched: the long way
        insertion.insert(temporary);
        foreign_hits_ = 0;
        // Where it came back to may be one of the places itself.
        RunAddress at = process_.registers(parts_.selection.thread()).program_counter();
        if (stopped && temporary.count(at) && arrived(parts_.selection.thread())) {
            bool has_goal = positions && positions->count(at);
            stopped->breakpoints = count_hits(parts_.selection.thread(), *stopped, -1,
                                              has_goal ? positions->at(at).order : kAll);
            if (has_goal && !stopped->position) stopped->position = positions->at(at);
            process_.has_told_of_trap(parts_.selection.thread());
            return *stopped;
        }
        found_.reset();
        event = process_.run(passes(), only_);
    }
    return *judged(event);
}

// Runs until the function that the home frame has called returns into it: the return reads its
// address from a word of the stack that no other frame reads. It ends, too, where an exception or
// longjmp is about to leave that function. Nothing where the word cannot be watched.
std::optional<Stop> Movement::run_home() {
    constexpr unsigned kWord = 8;
    auto free = watching_.free_debug_registers();
    std::optional<unsigned> number = free.empty() ? std::nullopt : std::optional(free.back());
    Unwinder walk(process_, parts_.selection.thread());
    const Frame* callee = nullptr;
    for (unsigned level = 0; const Frame* frame = walk.frame(level); ++level) {
        if (frame->inlined) continue;
        if (frame->call_frame_address == home_) break;
        callee = frame;
    }
    if (!number || !callee || !callee->call_frame_address) return std::nullopt;
    RunAddress word = *callee->call_frame_address - kWord;
    const Frame* home = walk.caller_of_function(*callee);
    if (!home || process_.read<std::uint64_t>(word) != home->program_counter.value)
        return std::nullopt;
    home_return_ = home->program_counter;
    home_watch_ = number;
    process_.set_watch(*number, word, kWord, true);
    // Copied: a library that is loaded meanwhile has them looked up anew.
    const std::vector<LandingHook> hooks = parts_.debuggee.landing_hooks();
    std::set<RunAddress> landings;
    for (const LandingHook& hook : hooks) landings.insert(hook.address);
    Arrived leaves = [&](ThreadId thread) {
        auto landing = thread == parts_.selection.thread() ? landing_at(process_, hooks, thread)
                                                           : std::nullopt;
        return landing && landing->stack_pointer > word;
    };
    Insertion insertion(process_);
    insertion.insert(landings);
    temporary_ = &landings;
    const Arrived* arrived = std::exchange(arrived_, &leaves);
    const Positions* positions = std::exchange(positions_, nullptr);
    TargetEvent event = process_.run(passes(), only_);
    auto stop = judged(event);
    temporary_ = nullptr;
    arrived_ = arrived;
    positions_ = positions;
    if (process_.is_alive()) process_.clear_watch(*number);
    home_watch_.reset();
    return stop;
}

// Single-steps the current thread, looking at the watched bytes after each instruction.
Stop Movement::run_by_steps() {
    constexpr unsigned kStepsBetweenLooks = 64;
    for (unsigned steps = 1;; ++steps) {
        if (steps % kStepsBetweenLooks == 0 && parts_.debuggee.events().let_others_look()) {
            Stop stop;
            stop.reason = StopReason::paused;
            stop.thread = parts_.selection.thread();
            return stop;
        }
        look_at_jump(parts_.selection.thread());
        TargetEvent event = process_.step(parts_.selection.thread());
        if (auto stop = judge(event)) return *stop;
        event = TargetEvent{TargetEvent::Kind::stepped, parts_.selection.thread()};
        Stop stop;
        stop.thread = parts_.selection.thread();
        if (auto found = judge_watch(event, stop)) return *found;
        if (process_.has_trap(process_.registers(parts_.selection.thread()).program_counter())) {
            event.kind = TargetEvent::Kind::trap;
            if (auto found = judge(event)) return *found;
        }
    }
}

// A system call may wait for another thread, or for somebody outside: a step that held the others,
// and that nobody could interrupt, would never end. So all go on, to where it comes back. Nothing:
// the thread is at no call, or at one that does not come back there.
std::optional<RunAddress> Movement::behind_system_call() {
    ThreadId thread = parts_.selection.thread();
    if (watching_.any_by_steps()) return std::nullopt;
    try {
        process_.stand_before_broken_call(thread);
        const Registers& registers = process_.registers(thread);
        std::byte here[kSystemCallLength] = {};
        bool is_call = process_.read_available(registers.program_counter(), here) == sizeof here &&
                       std::ranges::equal(here, kSystemCallCode);
        if (!is_call) return std::nullopt;
        std::string name = system_call_name(static_cast<long>(registers.get(0).value_or(0)));
        for (std::string_view leaves : {"rt_sigreturn", "exit", "exit_group"})
            if (name == leaves) return std::nullopt;
        return registers.program_counter() + kSystemCallLength;
    } catch (const TargetError&) {  // it was killed while it stood: the step tells its end
        return std::nullopt;
    }
}

Stop Movement::meet_another_program() {
    return *judge(TargetEvent{TargetEvent::Kind::replaced, process_.id()});
}

Stop Movement::step_instruction() {
    refuse_what_ends();
    if (auto behind = behind_system_call())
        return run({*behind},
                   [this](ThreadId thread) { return thread == parts_.selection.thread(); });
    if (auto met = hits_behind_standing(kAll)) return *met;
    standing_.reset();
    temporary_ = nullptr;
    look_at_jump(parts_.selection.thread());
    TargetEvent event = process_.step(parts_.selection.thread());
    if (auto stop = judge(event)) return *stop;
    Stop stop;
    stop.reason = StopReason::stepped;
    stop.thread = event.thread ? event.thread : parts_.selection.thread();
    parts_.selection.select_thread(stop.thread);
    if (watching_.any_by_steps())
        if (auto found = judge_watch(TargetEvent{TargetEvent::Kind::stepped, stop.thread}, stop))
            return *found;
    if (process_.has_trap(process_.registers(stop.thread).program_counter())) {
        stop.breakpoints = count_hits(stop.thread, stop);
        process_.has_told_of_trap(stop.thread);
    }
    return stop;
}

}  // namespace lantern
