#include "core/analysis/breakpoints_report.h"

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

}  // namespace

BreakpointRow report_breakpoint(const Breakpoint& breakpoint) {
    BreakpointRow row;
    static_cast<BreakpointWish&>(row) = breakpoint;
    row.number = breakpoint.number;
    row.hits = breakpoint.counts->hits;
    row.passes = breakpoint.counts->passes;
    row.moved = breakpoint.moved;
    for (const Breakpoint::Site& site : breakpoint.sites)
        row.sites.push_back({site.address.value, site.code.function, site.code.inlined_into,
                             site.code.file, site.code.line, site.code.is_inlined_copy,
                             site.code.is_statement, site.block, site.blocks});
    if (breakpoint.watched) row.watch = report_watch(*breakpoint.watched);
    return row;
}

}  // namespace lantern
