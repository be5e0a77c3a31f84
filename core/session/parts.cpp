#include "core/session/parts.h"

#include <algorithm>

#include "core/session/call_function.h"
#include "core/session/watching.h"
#include "core/support/error.h"
#include "core/target/live_process.h"

namespace lantern {

SessionParts::SessionParts(const SessionParts& parent, unsigned number, ThreadId thread,
                           std::unique_ptr<LiveProcess> child)
    : shared(parent.shared),
      debuggee(parent.debuggee, std::move(child)),
      number(number),
      is_seen(false),
      life(++shared.lives) {
    selection.select_thread(debuggee.process().id());
    breakpoints.inherit(parent.breakpoints);
    if (!debuggee.process().began_as_another_program()) sites.stand_as_in(parent.sites, thread);
    last_stop.reason = StopReason::selected;
    last_stop.thread = selection.thread();
}

Moment SessionParts::moment() {
    Moment::Parts parts;
    parts.target = &debuggee.target();
    parts.thread = selection.thread();
    try {
        parts.stack = &selection.stack();
    } catch (const RequestError&) {
        parts.why_no_stack = std::current_exception();
    }
    parts.level = selection.level();
    parts.stop = &last_stop;
    parts.life = life;
    parts.breakpoints = &breakpoints.all();
    parts.presentation = &presentation;
    parts.surroundings = &surroundings;
    parts.sources = &sources;
    parts.libraries = &libraries;
    if (shared.may_call)
        parts.call = [this](const FunctionCall& call) { return call_function(*this, call); };
    return Moment(std::move(parts));
}

void SessionParts::look_at_program_anew() {
    sites.forget();
    debuggee.take_on_what_runs();
    sites.resolve_all_for_start();
}

Stop SessionParts::finished(Stop stop, std::uint64_t stops_before) {
    LiveProcess& process = *debuggee.process_if_any();
    stop.target_stops = process.stops() - stops_before;
    selection.leave_stack();
    if (stop.is_end()) {
        debuggee.forget_what_ended();
        sites.forget();
    } else if (stop.thread) {
        selection.select_thread(stop.thread);
        if (stop.position) selection.stand_at(*stop.position);
    }
    if (LiveProcess* still = debuggee.process_if_any()) still->rest();
    last_stop = stop;
    is_seen = false;  // until it is told
    ++shared.movements;
    return stop;
}

void SessionParts::is_told(const Stop& stop) {
    last_stop = stop;
    is_seen = true;
    // What happens in a library's code is looked at from the user's own.
    bool is_no_step = stop.reason == StopReason::event || stop.reason == StopReason::paused ||
                      stop.reason == StopReason::signal || !stop.facts.empty();
    if (stop.thread && !stop.is_end() && is_no_step) selection.select_users_code(libraries);
    if (debuggee.is_running() && std::ranges::any_of(breakpoints.all(), [](const Breakpoint& b) {
            return b.watched && b.watched->follows;
        }))
        Watching(*this).follow_all();
    selection.keep_registers();
    for (Breakpoint& each : breakpoints.all())
        if (each.counts_blocks()) each.counts->blocks.stopped();
}

}  // namespace lantern
