// Breakpoints and watchpoints as text.
#include <fmt/format.h>

#include "cli/views/text.h"
#include "core/analysis/breakpoints_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kSitesShown = 12;

std::string site_text(const BreakpointRow::Site& site, const Style& style) {
    std::string place = site.line ? place_text(site.file, site.line) : "";
    std::string function =
        site.function.empty() ? "" : fmt::format("in {}", name_text(site.function));
    std::string more = site.is_inlined_copy
                           ? fmt::format(", inlined into {}", escape_for_display(site.inlined_into))
                           : "";
    if (!site.is_statement) more += " (no statement of it begins anywhere)";
    if (site.blocks > 1) more += fmt::format(" (block {} of {})", site.block, site.blocks);
    return fmt::format("{}{}{}{}  {}", place, place.empty() || function.empty() ? "" : "  ",
                       function, more, style.faint(fmt::format("{:#x}", site.address)));
}

std::string kind_of(const BreakpointRow& breakpoint) {
    return breakpoint.is_note() ? "note" : breakpoint.is_watch() ? "watchpoint" : "breakpoint";
}

// "on write of chamber->level_cm", "on throw TollError"
std::string what_of(const BreakpointRow& breakpoint) {
    switch (breakpoint.cause) {
        case Cause::place: return escape_for_display(breakpoint.place.text);
        case Cause::write:
        case Cause::access:
        case Cause::read:
            return fmt::format("on {} of {}", cause_word(breakpoint.cause),
                               escape_for_display(breakpoint.subject));
        case Cause::thread_start: return "on thread start";
        case Cause::thread_end: return "on thread end";
        default:
            return fmt::format("on {}{}{}", cause_word(breakpoint.cause),
                               breakpoint.subject.empty() ? "" : " ",
                               escape_for_display(breakpoint.subject));
    }
}

std::string how_watched(const BreakpointRow& breakpoint) {
    using By = BreakpointRow::Watch::By;
    const BreakpointRow::Watch& watch = *breakpoint.watch;
    if (watch.size == 0) return "from the program's start on";
    std::string how = watch.has_ended         ? "it has ended"
                      : watch.by == By::pages ? "by page protection"
                      : watch.by == By::steps
                          ? "step by step"
                          : fmt::format("by {}", counted(watch.debug_registers, "debug register"));
    std::string owner = watch.until.empty()
                            ? ""
                            : fmt::format(", until {} returns", escape_for_display(watch.until));
    return fmt::format("{} at {:#x}, {}{}{}", counted(watch.size, "byte"), watch.address, how,
                       owner, watch.follows ? ", following the expression" : "");
}

std::string limits_of(const BreakpointRow& breakpoint) {
    std::string out;
    if (!breakpoint.condition.empty())
        out += fmt::format("  when {}", escape_for_display(breakpoint.condition));
    if (breakpoint.after) out += fmt::format("  after {}", breakpoint.after);
    if (breakpoint.every > 1) out += fmt::format("  every {}", breakpoint.every);
    if (breakpoint.once) out += "  once";
    if (breakpoint.thread) out += fmt::format("  thread {}", breakpoint.thread);
    if (breakpoint.note_limit) out += fmt::format("  limit {}", breakpoint.note_limit);
    return out;
}

std::string counted_blocks(const BreakpointRow& breakpoint) {
    return fmt::format("{} there, {} so far", counted(breakpoint.sites.size(), "block"),
                       counted(breakpoint.hits, "run"));
}

std::string noted_of(const BreakpointRow& breakpoint) {
    return !breakpoint.noted.empty()
               ? fmt::format("  notes {}", escape_for_display(join_with(breakpoint.noted, "and")))
               : "";
}

}  // namespace

std::string breakpoint_set_text(const NewBreakpoint& report, const Style& style) {
    const BreakpointRow& breakpoint = report.breakpoint;
    std::string label = fmt::format("{} {}", kind_of(breakpoint), breakpoint.number);
    std::string mark = style.mark(fmt::format("▪{}", breakpoint.number)) + " " + padded(label, 13);
    std::string out;
    bool by_place = breakpoint.cause == Cause::place && !breakpoint.sites.empty() &&
                    !breakpoint.counts_blocks();
    if (!by_place) {
        std::string detail =
            breakpoint.is_watch() ? "  " + style.faint(how_watched(breakpoint)) : "";
        if (breakpoint.counts_blocks()) detail = "  " + counted_blocks(breakpoint);
        out +=
            fmt::format("{}  {}{}{}\n", mark, what_of(breakpoint), limits_of(breakpoint), detail);
    }
    for (std::size_t i = 0; by_place && i < breakpoint.sites.size() && i < kSitesShown; ++i) {
        std::string end = i == 0 ? limits_of(breakpoint) + noted_of(breakpoint) : "";
        out += fmt::format(
            "{}  {}{}\n",
            i == 0 ? mark
                   : "  " + std::string(display_width(label) < 13 ? 14 : display_width(label) + 1,
                                        ' '),
            site_text(breakpoint.sites[i], style), end);
    }
    if (by_place && breakpoint.sites.size() > kSitesShown)
        out += fmt::format("   … {} more; breakpoints lists all\n",
                           breakpoint.sites.size() - kSitesShown);
    if (!report.note.empty()) out += " " + style.warning("take care") + " " + report.note + "\n";
    return out;
}

std::string breakpoints_text(const BreakpointsReport& report, const Style& style) {
    if (report.breakpoints.empty()) return "there are no breakpoints; pause at PLACE sets one\n";
    std::string out = heading_line("breakpoints", "", style);
    for (const BreakpointRow& breakpoint : report.breakpoints) {
        std::string mark = fmt::format("{}{}", breakpoint.is_on ? "▪" : "▫", breakpoint.number);
        std::string state = breakpoint.counts_blocks() ? counted_blocks(breakpoint)
                            : breakpoint.is_note()     ? counted(breakpoint.hits, "note")
                                                       : counted(breakpoint.hits, "hit");
        if (breakpoint.may_pass())
            state += fmt::format(", passed {}", counted(breakpoint.passes, "time"));
        state += limits_of(breakpoint) + noted_of(breakpoint);
        if (!breakpoint.is_on) state += ", off";
        out += fmt::format("{} {}  {}\n", style.mark(padded(mark, 3)),
                           padded(what_of(breakpoint), 24), state);
        if (!breakpoint.moved.empty()) out += "      " + style.warning(breakpoint.moved) + "\n";
        if (!breakpoint.doubt.empty())
            out +=
                "      " +
                style.warning("what it reads was doubtful at its first hit: " + breakpoint.doubt) +
                "\n";
        if (breakpoint.is_watch()) out += "      " + style.faint(how_watched(breakpoint)) + "\n";
        if (!breakpoint.counts_blocks())
            for (const BreakpointRow::Site& site : breakpoint.sites)
                out += "      " + site_text(site, style) + "\n";
        if (breakpoint.has_sites() && breakpoint.sites.empty())
            out += fmt::format("      waits: no loaded module has this {}\n",
                               breakpoint.cause == Cause::place ? "place" : "yet");
    }
    return out;
}

}  // namespace lantern::cli
