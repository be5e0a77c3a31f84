// What `find` and `help` answer, as text.
#include <fmt/format.h>

#include "cli/views/text.h"
#include "core/support/text.h"

namespace lantern::cli {

std::string find_text(const FindReport& report, const Style& style) {
    std::string title = report.pattern.empty() ? report.what : fmt::format("{} with \"{}\"", report.what, escape_for_display(report.pattern));
    std::string out = heading_line(title, fmt::format("{} found", with_thousands(report.total)), style);
    std::size_t name_width = 0, detail_width = 0;
    for (const FoundName& found : report.found) {
        name_width = std::max(name_width, display_width(found.name));
        detail_width = std::max(detail_width, display_width(found.detail));
    }
    name_width = std::min<std::size_t>(name_width, 48);
    detail_width = std::min<std::size_t>(detail_width, 32);
    for (const FoundName& found : report.found) {
        std::string place = found.line ? place_text(found.file, found.line) : found.file.empty() ? "" : short_file(found.file);
        std::string line = "  " + padded(escape_for_display(found.name), name_width);
        if (detail_width) line += "  " + padded(found.detail, detail_width);
        line += "  " + padded(place, 20);
        if (found.is_inlined_only) line += "  only inlined copies";
        else if (found.address) line += "  " + style.faint(fmt::format("{:#x}", found.address));
        while (line.ends_with(' ')) line.pop_back();
        out += line + "\n";
    }
    if (report.total > report.found.size())
        out += fmt::format("  … {} more; a longer pattern narrows them down\n", with_thousands(report.total - report.found.size()));
    return out;
}

std::string help_text(const HelpReport& report, const Style& style) {
    std::string out = heading_line(report.title, "", style);
    if (!report.text.empty()) out += report.text + "\n";
    std::size_t widest = 0;
    for (const auto& group : report.groups)
        for (const HelpEntry& entry : group.entries) widest = std::max(widest, display_width(entry.usage));
    widest = std::min<std::size_t>(widest, 44);
    for (const auto& group : report.groups) {
        out += style.strong(group.title) + "\n";
        for (const HelpEntry& entry : group.entries) out += fmt::format("  {}  {}\n", padded(entry.usage, widest), entry.summary);
    }
    return out;
}

}  // namespace lantern::cli
