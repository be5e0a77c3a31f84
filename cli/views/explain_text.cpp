// What `explain` found out, as text.
#include <fmt/format.h>

#include "cli/advice_text.h"
#include "cli/views/text.h"
#include "core/analysis/explain_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::string lines_text(const ExplainedPlace& place) {
    if (place.from_line) return fmt::format("from line {} on", place.from_line);
    if (!place.first_line) return {};
    return place.first_line == place.last_line
               ? fmt::format("line {}", place.first_line)
               : fmt::format("lines {} – {}", place.first_line, place.last_line);
}

std::string nearest_text(const NearestPlace& nearest) {
    std::string line = nearest.line ? fmt::format("line {}, ", nearest.line) : "";
    return fmt::format("{}{} at {:#x}", line, nearest.place, nearest.address.value);
}

void append_places(const ExplainReport& report, std::string& out, const Style& style) {
    if (report.places.empty()) return;
    out += "  lives\n";
    constexpr std::size_t kMostPlaces = 40;
    for (std::size_t i = 0; i < std::min(report.places.size(), kMostPlaces); ++i) {
        const ExplainedPlace& place = report.places[i];
        std::string range = place.high.value
                                ? fmt::format("{:#x} – {:#x}", place.low.value, place.high.value)
                                : "everywhere";
        bool only_one = report.places.size() == 1 && !place.high.value;
        std::string where =
            only_one ? range : padded(range, 32) + "  " + padded(lines_text(place), 16);
        out += fmt::format("  {} {}  {}\n", place.is_here ? "◆" : " ", where, place.place);
    }
    if (report.places.size() > kMostPlaces)
        out += fmt::format("    … {} more stretches of code\n", report.places.size() - kMostPlaces);
    bool none_here = std::none_of(report.places.begin(), report.places.end(),
                                  [](const ExplainedPlace& p) { return p.is_here; });
    if (none_here)
        out += "    " + style.warning("none of these is where the program stands") + "\n";
    if (report.nearest.behind)
        out += fmt::format(
            "    next, on a way from here: {}; {}\n", nearest_text(*report.nearest.behind),
            advice_text(
                {Next::reach_address, fmt::format("{:#x}", report.nearest.behind->address.value)}));
    if (report.nearest.before)
        out +=
            fmt::format("    last, on a way to here: {}\n", nearest_text(*report.nearest.before));
}

}  // namespace

std::string explain_text(const ExplainReport& report, const Style& style) {
    std::string out = heading_line(escape_for_display(report.expression), report.what, style);
    auto row = [&](const char* name, const std::string& text) {
        if (!text.empty()) out += fmt::format("  {}  {}\n", padded(name, 8), text);
    };
    row("is", report.stands_for);
    if (!report.type.empty())
        row("type",
            fmt::format("{}, {}", report.type,
                        report.is_only_declared ? "declared but defined nowhere in the program"
                                                : counted(report.size, "byte")));
    bool is_no_value =
        !report.stands_for.empty() && report.type.empty() && report.value.unavailable.empty();
    std::string value = is_no_value ? ""
                        : report.value.unavailable.empty()
                            ? one_line(report.value, 200)
                            : style.warning("none: " + report.value.unavailable);
    std::string assigned = qualification(report.value);
    row("value", value + (assigned.empty() ? "" : "  " + style.warning(assigned)));
    if (!report.value.last.empty())
        row("last", fmt::format("{} {}", report.value.last, report.value.last_from));
    if (!report.value.unavailable.empty() && !report.value.recovered.empty())
        row("source", fmt::format("{} ({})", report.value.recovered, report.value.recovered_from));
    for (const std::string& why : report.why) row(&why == &report.why.front() ? "why" : "", why);
    if (report.declared_line) row("declared", place_text(report.declared_in, report.declared_line));
    row("scope", report.scope);
    std::string is = report.address_is.empty() ? "" : " (" + report.address_is + ")";
    if (!report.value.place.empty()) row("here", report.value.place + is);
    append_places(report, out, style);
    if (!report.names.empty()) out += "  variables of this name, innermost first\n";
    for (const ExplainedName& name : report.names)
        out += fmt::format("  {} {}  {}  {}\n", name.is_meant ? "◆" : " ",
                           padded(escape_for_display(name.chosen), 20), padded(name.what, 16),
                           name.value);
    return out;
}

}  // namespace lantern::cli
