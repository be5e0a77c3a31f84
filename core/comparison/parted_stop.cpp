#include "core/comparison/parted_stop.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/comparison/line_history.h"
#include "core/support/error.h"

namespace lantern {
namespace {

constexpr unsigned kRows = 12;  // of a stack

Breakpoint entry_wish(const PairedRun& run, unsigned side, const WalkEvent& entry) {
    Breakpoint wish;
    wish.place.kind = Place::Kind::code;
    wish.place.in_program =
        walked_entry(*run.symbols[side], *run.pairs.pairs[entry.function].in[side].at(entry.copy));
    wish.place.text = run.pairs.pairs[entry.function].name;
    wish.after = entry.pass - 1;
    wish.thread = entry.thread;
    return wish;
}

bool is_in(const Frame* frame, const PairedRun& run, unsigned side, const WalkEvent& entry) {
    return frame && frame->function &&
           frame->function->low() == run.pairs.pairs[entry.function].in[side].at(entry.copy)->low();
}

// Signals that the program handles, or that do not matter to it, are passed.
Stop go_on(Session& session, Stop stop) {
    constexpr unsigned kMostSignals = 1000;
    for (unsigned i = 0; i < kMostSignals && stop.reason == StopReason::signal && !stop.is_fault;
         ++i)
        stop = session.continue_running();
    return stop;
}

std::string names_of_unset(const LocalsReport& locals) {
    std::string names;
    for (const ValueView& each : locals.variables)
        if (is_unset(each.assignment) || each.assignment == Assignment::on_some_paths)
            names += (names.empty() ? "" : ", ") + each.name;
    return names;
}

// Up to the return, by lines; what the variables hold on the way.
LineHistory walk_lines(Session& session, const PairedRun& run, unsigned side,
                       const WalkEvent& entry) {
    constexpr unsigned kMostLines = 400;
    LineHistory history;
    for (unsigned i = 0; i < kMostLines; ++i) {
        const Frame* frame = session.selected_frame();
        if (!is_in(frame, run, side, entry)) return history;
        history.add(report_locals(session.moment(), *frame));
        Stop stop = session.over_line();
        if (stop.is_end() || stop.reason != StopReason::stepped || stop.left_function) break;
    }
    return history;
}

// It is about what one call returns.
bool is_of_one_call(const PairedRun& run, const Parting& parting) {
    return parting.kind == Parting::Kind::value &&
           run.walks[0].events[parting.event[0]].kind == WalkEvent::Kind::returned;
}

}  // namespace

std::uint32_t event_to_look_at(const PairedRun& run, const Parting& parting, unsigned side) {
    const Walk& walk = run.walks[side];
    const WalkEvent& event = walk.events[parting.event[side]];
    if (is_of_one_call(run, parting)) return event.call;
    bool is_end = event.kind == WalkEvent::Kind::end;
    bool has_call = walk.events[parting.before[side]].kind == WalkEvent::Kind::entry;
    return is_end && has_call ? parting.before[side] : parting.event[side];
}

LaunchOptions launch_as_walked(const PairedRunRequest& request, unsigned side) {
    return launch_in(request.launch[side], RunWay::as_it_is);
}

bool go_to_event(Session& session, const PairedRun& run, unsigned side, std::uint32_t event) {
    const Walk& walk = run.walks[side];
    const WalkEvent& here = walk.events[event];
    if (here.kind == WalkEvent::Kind::signal) {
        Stop stop = go_on(session, session.launch_again());
        return stop.reason == StopReason::signal;
    }
    if (!here.is_call()) return false;
    const WalkEvent& entry = here.kind == WalkEvent::Kind::entry ? here : walk.events[here.call];
    unsigned number = session.add_breakpoint(entry_wish(run, side, entry), true).number;
    Stop stop = go_on(session, session.launch_again());
    session.drop_breakpoint(number);
    bool has_come =
        stop.reason == StopReason::breakpoint && is_in(session.selected_frame(), run, side, entry);
    if (!has_come || &entry == &here) return has_come;
    stop = go_on(session, session.out());
    return !stop.is_end();
}

namespace {

// The build is run against itself, and looked at where it first takes up what nothing has set.
void add_lead(const PairedRunRequest& request, unsigned side,
              const std::vector<SourceMapping>& mappings, PartingReport& report) {
    PairedRun filled = run_filled(request, side);
    report.unset = lead_of(filled, side);
    if (!report.unset) return;
    const Parting& parting = filled.partings.first;
    Session session(launch_as_walked(request, side), mappings, request.search);
    session.libraries() = request.libraries;
    std::uint32_t at = event_to_look_at(filled, parting, 0);
    if (!go_to_event(session, filled, 0, at)) return;
    report.unset->stack = report_stack(session.moment(), kRows);
    if (!is_of_one_call(filled, parting)) return;
    auto last = walk_lines(session, filled, 0, filled.walks[0].events[at]).last();
    if (last) report.unset->set_by_nobody = names_of_unset(*last);
}

}  // namespace

void add_stops(const PairedRunRequest& request, const PairedRun& run, const Parting& parting,
               const std::vector<SourceMapping>& mappings, PartingReport& report) {
    std::array<LineHistory, 2> histories;
    bool is_inside = is_of_one_call(run, parting);
    for (unsigned side : {0u, 1u}) try {
            PartedSide& parted = report.sides[side];
            const Walk& walk = run.walks[side];
            std::uint32_t at = event_to_look_at(run, parting, side);
            bool has_a_place =
                walk.events[at].is_call() || walk.events[at].kind == WalkEvent::Kind::signal;
            if (!has_a_place) {
                parted.no_stack = "it is at no place of the program then";
                continue;
            }
            Session session(launch_as_walked(request, side), mappings, request.search);
            session.libraries() = request.libraries;
            if (!go_to_event(session, run, side, at)) {
                parted.no_stack = "when it was run once more it did not come there";
                continue;
            }
            parted.stack = report_stack(session.moment(), kRows);
            if (is_inside) {
                histories[side] = walk_lines(session, run, side, walk.events[at]);
                parted.locals = histories[side].last();
                if (parted.locals) parted.set_by_nobody = names_of_unset(*parted.locals);
            } else if (const Frame* frame = session.selected_frame()) {
                parted.locals = report_locals(session.moment(), *frame);
            }
        } catch (const Error& error) {
            report.sides[side].no_stack = error.what();
        }
    if (parting.unsteady == Unsteadiness::unset) try {
            add_lead(request, parting.unsteady_side, mappings, report);
        } catch (const Error&) {  // it is only more of the same
        }
    if (is_inside) report.line_part = where_lines_part(histories);
}

}  // namespace lantern
