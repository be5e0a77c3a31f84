// Breakpoints as text.
#include <fmt/format.h>

#include "cli/views/text.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::string site_text(const Breakpoint::Site& site, const Style& style) {
    std::string place = site.code.line ? place_text(site.code.file, site.code.line) : "";
    std::string function = site.code.function.empty() ? "" : fmt::format("in {}", escape_for_display(site.code.function));
    std::string inlined = site.code.is_inlined_copy ? " (inlined copy)" : "";
    return fmt::format("{}{}{}{}  {}", place, place.empty() || function.empty() ? "" : "  ", function, inlined, style.faint(fmt::format("{:#x}", site.address.value)));
}

}  // namespace

std::string breakpoint_set_text(const BreakpointSet& report, const Style& style) {
    const Breakpoint& breakpoint = report.breakpoint;
    std::string out;
    for (std::size_t i = 0; i < breakpoint.sites.size(); ++i) {
        std::string label = i == 0 ? fmt::format("breakpoint {}", breakpoint.number) : "";
        out += fmt::format("{} {}  {}\n", style.mark(i == 0 ? fmt::format("▪{}", breakpoint.number) : "  "), padded(label, 13), site_text(breakpoint.sites[i], style));
    }
    if (!report.note.empty()) out += " " + style.warning("take care") + " " + report.note + "\n";
    return out;
}

std::string breakpoints_text(const BreakpointsReport& report, const Style& style) {
    if (report.breakpoints.empty()) return "there are no breakpoints; pause at PLACE sets one\n";
    std::string out = heading_line("breakpoints", "", style);
    for (const Breakpoint& breakpoint : report.breakpoints) {
        std::string mark = fmt::format("{}{}", breakpoint.is_on ? "▪" : "▫", breakpoint.number);
        std::string state = counted(breakpoint.hits, "hit");
        if (!breakpoint.condition.empty())
            state += fmt::format(", passed {}  when {}", counted(breakpoint.passes, "time"), escape_for_display(breakpoint.condition));
        if (!breakpoint.is_on) state += ", off";
        out += fmt::format("{} {}  {}\n", style.mark(padded(mark, 3)), padded(escape_for_display(breakpoint.place.text), 24), state);
        for (const Breakpoint::Site& site : breakpoint.sites) out += "      " + site_text(site, style) + "\n";
        if (breakpoint.sites.empty()) out += "      waits: no loaded module has this place\n";
    }
    return out;
}

}  // namespace lantern::cli
