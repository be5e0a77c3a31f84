#include "core/session/parts.h"

#include "core/support/error.h"

namespace lantern {

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
    parts.call = call;
    return Moment(std::move(parts));
}

void SessionParts::look_at_program_anew() {
    sites.forget();
    debuggee.take_on_what_runs();
    sites.resolve_all_for_start();
}

}  // namespace lantern
