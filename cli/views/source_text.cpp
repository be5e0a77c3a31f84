// Source lines as text, with our markers: ◆ next to run, ▪1 breakpoint 1, ▫1 the same while off.
#include <fmt/format.h>

#include "cli/views/text.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::string expanded_tabs(const std::string& text) {
    std::string out;
    for (char c : text) {
        if (c == '\t') out += std::string(4 - out.size() % 4, ' ');
        else out += c;
    }
    return escape_for_display(out);
}

std::string breakpoint_mark(const SourceRow& row) {
    if (row.breakpoints.empty()) return "";
    const BreakpointMark& first = row.breakpoints.front();
    return fmt::format("{}{}{}", first.is_on ? "▪" : "▫", first.number, row.breakpoints.size() > 1 ? "+" : "");
}

std::string remark_on(LineState state) {
    switch (state) {
        case LineState::next: return "next to run";
        case LineState::begun: return "begun; the rest is next";
        case LineState::waiting: return "waits for this call";
        case LineState::fails: return "fails here";
    }
    return {};
}

}  // namespace

std::string source_rows_text(const SourceReport& report, const Style& style) {
    std::string out, remark = remark_on(report.current_state);
    std::size_t digits = report.rows.empty() ? 1 : std::to_string(report.rows.back().number).size();
    std::size_t width = std::min(style.width, 100u);
    for (const SourceRow& row : report.rows) {
        std::string mark = padded(breakpoint_mark(row), 3);
        std::string number = fmt::format("{:>{}}", row.number, digits);
        std::string text = expanded_tabs(row.text);
        if (row.is_current) {
            std::string left = fmt::format("{} {}  {}", "◆", number, text);
            std::size_t used = display_width(left) + 3;
            std::string gap(used + display_width(remark) + 3 < width ? width - used - display_width(remark) - 1 : 3, ' ');
            out += style.mark(mark) + style.next_line(left + gap + remark) + "\n";
        } else {
            out += style.mark(mark) + "  " + style.faint(number) + "  " + text + "\n";
        }
    }
    return out;
}

std::string source_text(const SourceReport& report, const Style& style) {
    if (report.found_at.empty()) {
        return fmt::format("the source file {} is not here\n{}--source-map FROM=TO says where its folder has moved to\n",
                           escape_for_display(report.file), style.faint("    next: "));
    }
    std::string right = report.rows.empty() ? "" : fmt::format("lines {} to {} of {}", report.rows.front().number, report.rows.back().number, report.last_line);
    std::string out = heading_line(short_file(report.file), right, style) + source_rows_text(report, style);
    if (report.is_stale)
        out += " " + style.warning("take care") + " this file is newer than the program: these lines may not be the ones that run\n";
    return out;
}

}  // namespace lantern::cli
