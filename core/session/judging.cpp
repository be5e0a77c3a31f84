// What an event means for a movement: it stops, or it goes on.
#include "core/session/heap_events.h"
#include "core/session/movement.h"

#include <fmt/format.h>
#include <signal.h>

#include <algorithm>
#include <utility>

#include "core/session/events.h"
#include "core/session/system_calls.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr unsigned kMostForeignHits = 8;  // then it is a recursion, and there is a shorter way

}  // namespace

bool Movement::passes_silently(const TargetEvent& event) {
    if (event.is_fault || event.signal == SIGTRAP) return false;
    switch (parts_.signals.rule(event.signal)) {
        case SignalRule::pass: return true;
        case SignalRule::pause: return false;
        default: break;
    }
    if (event.signal == SIGINT) return false;  // Ctrl-C on the shared terminal
    return !ends_program(event.signal) || process_.ignores_signal(event.signal) ||
           process_.handles_signal(event.signal);
}

Stop Movement::stop_for_signal(const TargetEvent& event, Stop stop) {
    stop.reason = StopReason::signal;
    if (event.signal == SIGINT && parts_.signals.rule(SIGINT) == SignalRule::natural) {
        // Our way of pausing it: the program does not get to see it.
        stop.reason = StopReason::paused;
        return stop;
    }
    stop.signal = event.signal;
    stop.is_fault = event.is_fault;
    stop.fault_address = event.fault_address;
    stop.origin = event.origin;
    stop.has_handler = process_.handles_signal(event.signal);
    if (event.signal != SIGTRAP) process_.deliver(event.thread, event.signal);
    if (event.signal == SIGABRT) stop.facts = facts_of_giving_up(parts_.moment(), event.thread);
    if (event.signal == SIGSEGV && event.is_fault)
        if (auto fault = heap_fault_at(parts_.moment(), event.fault_address))
            stop.facts = facts_of_heap(*fault);
    return stop;
}

std::optional<Stop> Movement::judge_signal(const TargetEvent& event, Stop stop) {
    if (event.signal == SIGINT && std::exchange(parts_.is_paused_already, false))
        return std::nullopt;
    // A breakpoint on the signal comes first, then the rules for signals.
    for (Breakpoint& breakpoint : parts_.breakpoints.all())
        if (breakpoint.is_on && breakpoint.cause == Cause::signal &&
            signal_numbered(breakpoint.subject) == event.signal &&
            wants_to_stop(breakpoint, event.thread))
            stop.breakpoints.push_back(breakpoint.number);
    if (stop.breakpoints.empty() && parts_.signals.rule(event.signal) == SignalRule::swallow &&
        !event.is_fault)
        return std::nullopt;
    if (stop.breakpoints.empty() && passes_silently(event)) {
        process_.deliver(event.thread, event.signal);
        return std::nullopt;
    }
    return stop_for_signal(event, std::move(stop));
}

std::optional<Stop> Movement::judge_system_call(const TargetEvent& event, Stop stop) {
    bool entered = event.kind == TargetEvent::Kind::system_call_entered;
    std::string name =
        system_call_name(static_cast<long>(process_.registers(event.thread).system_call));
    for (Breakpoint& breakpoint : parts_.breakpoints.all())
        if (breakpoint.is_on && breakpoint.cause == Cause::system_call &&
            (breakpoint.subject.empty() || breakpoint.subject == name) &&
            (entered ? wants_to_stop(breakpoint, event.thread)
                     : breakpoint.counts->hits > 0 && breakpoint.condition.empty() &&
                           breakpoint.after == 0 && breakpoint.every == 1))
            stop.breakpoints.push_back(breakpoint.number);
    if (stop.breakpoints.empty()) return std::nullopt;
    stop.reason = StopReason::event;
    stop.cause = Cause::system_call;
    stop.facts.push_back({entered ? "asks" : "asked", system_call_text(process_, event.thread)});
    if (!entered) stop.facts.push_back({"got", system_call_result_text(process_, event.thread)});
    return stop;
}

// Nothing would arrive any more: the thread that moves leaves the others, which go on or are held.
bool Movement::has_lost_its_thread(const TargetEvent& event) {
    bool moves = event.thread == only_ ||
                 (event.thread == parts_.selection.thread() && (!temporary_ || *arrived_));
    return moves && process_.threads().size() > 1 &&
           system_call_name(static_cast<long>(process_.registers(event.thread).system_call)) ==
               "exit";
}

std::optional<Stop> Movement::verdict_of_loader(Stop stop) {
    auto [loaded, unloaded] = parts_.sites.look_at_libraries();
    TargetEvent event;
    event.thread = stop.thread;
    for (auto [cause, label, paths] :
         {std::tuple{Cause::load, "loaded", &loaded}, {Cause::unload, "unloaded", &unloaded}}) {
        std::vector<StopFact> facts;
        for (const std::string& path : *paths) facts.push_back({label, path});
        if (facts.empty()) continue;
        if (auto found = judge_cause(cause, event, stop, std::move(facts))) return found;
    }
    return std::nullopt;
}

std::optional<Stop> Movement::judge_watch(const TargetEvent& event, Stop stop) {
    bool came_home = home_watch_ && event.watches >> *home_watch_ & 1 &&
                     event.thread == parts_.selection.thread() &&
                     process_.registers(event.thread).program_counter() == home_return_;
    if (came_home) {
        stop.reason = StopReason::stepped;
        return stop;
    }
    if (auto ended = verdict_of_frame_ends(event, stop)) return ended;
    Watching::Left gone{{}, "was left without returning"};
    for (Watching::Seen& seen : watching_.seen(event)) {
        if (wants_to_stop(*seen.breakpoint, event.thread)) {
            if (!watching_.is_frame_there(*seen.breakpoint, event.thread)) {
                gone.watchpoints.push_back(seen.breakpoint);
                continue;
            }
            stop.breakpoints.push_back(seen.breakpoint->number);
            stop.cause = seen.breakpoint->cause;
            stop.changes.push_back(watching_.change(seen, event));
        }
        watching_.remember(std::move(seen));
    }
    if (!gone.watchpoints.empty()) {
        Stop ended = end_watches(gone, stop);
        if (stop.breakpoints.empty()) return ended;
        stop.facts = ended.facts;
    }
    if (stop.breakpoints.empty()) return std::nullopt;
    stop.reason = StopReason::event;
    return stop;
}

// The watchpoints of a local variable end with its frame; what the stack holds there later is
// something else.
std::optional<Stop> Movement::verdict_of_frame_ends(const TargetEvent& event, Stop stop) {
    Watching::Left left = watching_.left(event.thread);
    if (left.watchpoints.empty()) return std::nullopt;
    return end_watches(left, std::move(stop));
}

Stop Movement::end_watches(const Watching::Left& left, Stop stop) {
    for (Breakpoint* breakpoint : left.watchpoints) {
        stop.breakpoints.push_back(breakpoint->number);
        stop.facts.push_back(
            {"ended", fmt::format("{} is gone: {} {}", breakpoint->subject,
                                  breakpoint->watched->owner->function, left.how)});
        watching_.stop(*breakpoint);
        breakpoint->watched->has_ended = true;
        breakpoint->is_on = false;
    }
    stop.reason = StopReason::watch_ended;
    return stop;
}

// Whether the thread has come to where the movement goes, and at which position of the address that
// is.
Movement::Arrival Movement::verdict_of_movement(ThreadId thread, RunAddress at) {
    if (!temporary_ || !temporary_->count(at)) return {};
    Arrival arrival;
    arrival.is_place = true;
    arrival.counts = !*arrived_ || (*arrived_)(thread);
    if (arrival.counts && positions_ && positions_->count(at)) arrival.goal = &positions_->at(at);
    return arrival;
}

// Each client of the probe table that wants the address is asked for its verdict. An arrival is
// told before breakpoints, which it names; these before the end of a watched frame, which goes
// along as a fact.
std::optional<Stop> Movement::judge_trap(const TargetEvent& event, Stop stop) {
    RunAddress at = process_.registers(event.thread).program_counter();
    Arrival arrival = verdict_of_movement(event.thread, at);
    if (process_.has_trap_for(at, ProbeClient::loader))
        if (auto found = verdict_of_loader(stop)) return found;
    if (process_.has_trap_for(at, ProbeClient::breakpoint))
        stop.breakpoints =
            count_hits(event.thread, stop, -1, arrival.goal ? arrival.goal->order : kAll);
    look_at_jump(event.thread);
    auto ended = verdict_of_frame_ends(event, stop);  // it may end at another client's place too
    bool is_before_goal =
        arrival.goal && stop.position && stop.position->order < arrival.goal->order;
    if (arrival.counts && !is_before_goal) {
        if (arrival.goal) stop.position = *arrival.goal;
        stop.reason = StopReason::stepped;
    } else if (!stop.breakpoints.empty()) {
        stop.reason = stop.cause == Cause::place ? StopReason::breakpoint : StopReason::event;
    } else if (ended) {
        return ended;
    } else {
        bool is_foreign = arrival.is_place && home_ && event.thread == parts_.selection.thread();
        if (is_foreign && ++foreign_hits_ == kMostForeignHits) return stop;  // see run
        return std::nullopt;
    }
    if (ended) stop.facts = ended->facts;
    if (stop.reason == StopReason::event)
        stop.facts = facts_of(parts_.moment(), stop.cause, event.thread);
    return stop;
}

std::optional<Stop> Movement::judge(const TargetEvent& event) {
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
        case TargetEvent::Kind::replaced: {
            parts_.selection.select_thread(process_.id());
            parts_.look_at_program_anew();
            if (auto found =
                    judge_cause(Cause::exec, event, stop, {{"runs", parts_.debuggee.program()}}))
                return found;
            stop.reason = StopReason::replaced;
            return stop;
        }
        case TargetEvent::Kind::forked: {
            bool is_child =
                event.thread == process_.id() && parts_.debuggee.followed() == Follow::child;
            if (is_child) parts_.selection.select_thread(process_.id());
            std::string text =
                is_child ? fmt::format("now in the child, process {}; its parent {} goes on alone",
                                       process_.id(), event.other)
                         : fmt::format("process {}, which goes on alone", event.other);
            if (parts_.debuggee.followed() == Follow::both)  // of a vfork, or it would be held
                text = fmt::format("process {}, which has ended and never became another program",
                                   event.other);
            if (auto child = process_.take_child(event.other))
                text = fmt::format("process {}, which is process {} here", event.other,
                                   parts_.shared.keep(parts_, event.thread, std::move(child)));
            return judge_cause(Cause::fork, event, stop, {{"forked", text}});
        }
        case TargetEvent::Kind::thread_started:
            return judge_cause(
                Cause::thread_start, event, stop,
                {{"began", fmt::format("thread {}", process_.thread_number(event.thread))}});
        case TargetEvent::Kind::thread_ending: {
            std::string text = fmt::format("thread {}", process_.thread_number(event.thread));
            bool is_last = process_.threads().size() == 1 || event.thread == process_.id();
            if (is_last)
                if (auto found = judge_cause(
                        Cause::exit, event, stop,
                        {{"ends", event.signal ? signal_name(event.signal)
                                               : fmt::format("exit status {}", event.exit_code)}}))
                    return found;
            std::vector<StopFact> facts{{"ends", text}};
            if (auto found = judge_cause(Cause::thread_end, event, stop, facts)) return found;
            if (!has_lost_its_thread(event)) return std::nullopt;
            stop.reason = StopReason::event;
            stop.cause = Cause::thread_end;
            stop.facts = std::move(facts);
            return stop;
        }
        case TargetEvent::Kind::system_call_entered:
        case TargetEvent::Kind::system_call_left: return judge_system_call(event, std::move(stop));
        case TargetEvent::Kind::signal: return judge_signal(event, std::move(stop));
        case TargetEvent::Kind::watched:
        case TargetEvent::Kind::touched: return judge_watch(event, std::move(stop));
        case TargetEvent::Kind::stepped: return std::nullopt;
        case TargetEvent::Kind::trap: return judge_trap(event, std::move(stop));
    }
    return std::nullopt;
}

}  // namespace lantern
