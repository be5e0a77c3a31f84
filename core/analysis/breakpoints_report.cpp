#include "core/analysis/breakpoints_report.h"

#include <fmt/format.h>

#include "core/analysis/doubtful_names.h"
#include "core/session/moment.h"
#include "core/session/rust_panic.h"
#include "core/support/text.h"

namespace lantern {
namespace {

BreakpointRow::Watch report_watch(const WatchedValue& watched) {
    using By = BreakpointRow::Watch::By;
    BreakpointRow::Watch watch;
    watch.by = watched.by_pages ? By::pages : watched.by_steps ? By::steps : By::debug_registers;
    watch.address = watched.range.low.value;
    watch.size = watched.range.size();
    watch.debug_registers = static_cast<unsigned>(watched.debug_registers.size());
    watch.has_ended = watched.has_ended;
    watch.follows = watched.follows;
    if (watched.owner) watch.until = watched.owner->function;
    return watch;
}

// What weighs most is told, and nothing else.
std::string note_on(const Moment& moment, const Breakpoint& made,
                    const std::vector<unsigned>& others) {
    if (made.watched && made.watched->by_steps)
        return "the program runs one instruction at a time from now on, some 10 000 times slower";
    if (made.watched && made.watched->by_pages)
        return fmt::format(
            "{} bytes are more than the debug registers hold: their pages are protected, and each "
            "write near them costs some microseconds",
            made.watched->range.size());
    if (made.cause == Cause::thrown && made.sites.empty() && may_panic(moment.target()))
        return "no loaded module throws: Rust panics, and pause on panic stops there";
    if (made.has_sites() && made.sites.empty())
        return "no loaded module has this yet: it waits for a library that brings it";
    if (!others.empty()) {
        std::vector<std::string> words;
        for (unsigned number : others) words.push_back(std::to_string(number));
        return fmt::format("breakpoint {} {} there too", join_with(words, "and"),
                           others.size() == 1 ? "stands" : "stand");
    }
    if (!made.sites.empty() && !made.sites[0].code.file.empty() &&
        is_stale(moment, made.sites[0].code.file))
        return "the source is newer than the program: the line may have moved; build it again";
    std::string doubt = made.is_watch() ? doubt_of_what_is_read(moment, made.subject) : "";
    if (!doubt.empty()) return "what is watched is doubtful here: " + doubt;
    return {};
}

}  // namespace

BreakpointRow report_breakpoint(const Breakpoint& breakpoint) {
    BreakpointRow row;
    static_cast<BreakpointWish&>(row) = breakpoint;
    row.number = breakpoint.number;
    row.hits = breakpoint.counts->hits;
    row.passes = breakpoint.counts->passes;
    row.moved = breakpoint.moved;
    row.doubt = breakpoint.counts->doubt;
    for (const Breakpoint::Site& site : breakpoint.sites)
        row.sites.push_back({site.address.value, site.code.function, site.code.inlined_into,
                             site.code.file, site.code.line, site.code.is_inlined_copy,
                             site.code.is_statement, site.block, site.blocks});
    if (breakpoint.watched) row.watch = report_watch(*breakpoint.watched);
    return row;
}

BreakpointsReport report_breakpoints(const std::list<Breakpoint>& breakpoints) {
    BreakpointsReport report;
    for (const Breakpoint& each : breakpoints)
        report.breakpoints.push_back(report_breakpoint(each));
    return report;
}

NewBreakpoint report_new_breakpoint(const Moment& moment, const Breakpoint& made,
                                    const std::vector<unsigned>& others) {
    return {report_breakpoint(made), note_on(moment, made, others)};
}

}  // namespace lantern
