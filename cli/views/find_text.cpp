// What `find` and `help` answer, as text.
#include <fmt/format.h>

#include "cli/views/fold.h"
#include "cli/views/text.h"
#include "core/analysis/find_report.h"
#include "core/support/text.h"

namespace lantern::cli {

namespace {

std::string addresses_text(const FoundName& found) {
    if (found.addresses.empty()) return "";
    std::string text = fmt::format("{:#x}", found.addresses.front());
    if (found.addresses.size() > 1) text += fmt::format(" and {} more", found.addresses.size() - 1);
    return text;
}

std::string shown_name(const FindReport& report, const FoundName& found) {
    return report.what == "functions" ? name_text(found.name) : escape_for_display(found.name);
}

// Long names keep their end: that is where they differ.
std::string shortened(const std::string& name, std::size_t width) {
    if (display_width(name) <= width) return name;
    std::string out = name;
    while (display_width(out) > width - 1) {
        out.erase(0, 1);
        while (!out.empty() && (static_cast<unsigned char>(out[0]) & 0xc0) == 0x80) out.erase(0, 1);
    }
    return "…" + out;
}

}  // namespace

std::string find_text(const FindReport& report, const Style& style) {
    std::string title = report.pattern.empty()
                            ? report.what
                            : fmt::format("{} with {}", report.what, quote(report.pattern));
    if (!report.within.empty()) title += " in " + escape_for_display(report.within);
    std::string out =
        heading_line(title, fmt::format("{} found", with_thousands(report.total)), style);
    std::size_t name_width = 0, detail_width = 0;
    for (const FoundName& found : report.found) {
        name_width = std::max(name_width, display_width(shown_name(report, found)));
        detail_width = std::max(detail_width, display_width(found.detail));
    }
    bool has_places = report.what != "files";
    name_width = std::min<std::size_t>(name_width, has_places ? 56 : 76);
    detail_width = std::min<std::size_t>(detail_width, 32);
    for (const FoundName& found : report.found) {
        std::string place = found.line           ? place_text(found.file, found.line)
                            : found.file.empty() ? ""
                                                 : short_file(found.file);
        std::string name = shown_name(report, found);
        // A name that does not fit has a line of its own.
        std::string line = "  " + padded(name, name_width);
        if (display_width(name) > name_width) line += "\n  " + std::string(name_width, ' ');
        if (detail_width)
            line += "  " + padded(shortened(escape_for_display(found.detail), 60), detail_width);
        line += "  " + padded(place, 20);
        if (found.has_no_own_code)
            line += "  no code of its own";
        else
            line += "  " + style.faint(addresses_text(found));
        while (line.ends_with(' ')) line.pop_back();
        out += line + "\n";
    }
    if (report.total > report.found.size())
        out += fmt::format(
            "  … {} more; a longer pattern narrows them down, limit N at the end shows N\n",
            with_thousands(report.total - report.found.size()));
    if (report.of_library)
        out += style.faint(
                   fmt::format("  and {} of the language's own library; find {} {}{}all lists them",
                               with_thousands(report.of_library), report.what, report.pattern,
                               report.pattern.empty() ? "" : " ")) +
               "\n";
    if (!report.note.empty()) out += "  " + report.note + "\n";
    return out;
}

std::string code_text(const CodeReport& report, const Style& style) {
    std::string out = heading_line("code of " + escape_for_display(report.place),
                                   counted(report.sites.size(), "place"), style);
    std::size_t width = 8;
    for (const auto& site : report.sites)
        width = std::max(width, std::min<std::size_t>(56, display_width(site.function)));
    for (const auto& site : report.sites) {
        out +=
            fmt::format("  {:#014x}  {}  {}", site.address, padded(name_text(site.function), width),
                        place_text(site.file, site.line));
        if (!site.inlined_into.empty())
            out += fmt::format("  inlined into {}", escape_for_display(site.inlined_into));
        out += "\n";
    }
    if (report.blocks.empty() && report.is_line)
        out +=
            "no instruction is the line's own: what it says was merged into what stands around "
            "it\n";
    if (report.blocks.empty()) return out;
    std::uint64_t bytes = 0;
    for (const auto& block : report.blocks) bytes += block.high - block.low;
    out += fmt::format("{} of code belong to the line, in {}\n", counted(bytes, "byte"),
                       counted(report.blocks.size(), "block"));
    constexpr std::size_t kMostBlocks = 60;
    for (std::size_t i = 0; i < std::min(report.blocks.size(), kMostBlocks); ++i) {
        const auto& block = report.blocks[i];
        out += fmt::format("  {:#014x} – {:#014x}  {:>6}  {}", block.low, block.high,
                           counted(block.high - block.low, "byte"), name_text(block.function));
        if (!block.inlined_into.empty())
            out += fmt::format("  inlined into {}", escape_for_display(block.inlined_into));
        out += "\n";
    }
    if (report.blocks.size() > kMostBlocks)
        out += fmt::format("  … {} more; --format json has them all\n",
                           report.blocks.size() - kMostBlocks);
    return out;
}

std::string address_text(const AddressReport& report, const Style& style) {
    std::string out = heading_line(fmt::format("address {:#x}", report.address),
                                   short_file(report.module), style);
    out += fmt::format("  {:#x} in {}{}\n", report.file_address, escape_for_display(report.module),
                       report.section.empty() ? "" : ", section " + report.section);
    if (!report.symbol.empty())
        out += fmt::format("  {}{}\n", escape_for_display(report.symbol),
                           report.offset ? fmt::format(" + {}", report.offset) : "");
    for (const CodeFrame& frame : report.frames) {
        std::string place = place_text(frame.file, frame.line);
        if (frame.column) place += fmt::format(", column {}", frame.column);
        out += fmt::format("  {}  {}  {}\n", frame.is_inlined ? "inlined " : "function",
                           padded(name_text(frame.function), 32), place);
    }
    if (report.frames.empty()) out += "  no function claims it\n";
    return out;
}

std::string help_text(const HelpReport& report, const Style& style) {
    std::string out = heading_line(report.title, "", style);
    if (!report.text.empty()) out += paragraphs_of(report.text, std::min(style.width, 100u), 2);
    std::size_t widest = 0;
    for (const auto& group : report.groups)
        for (const HelpEntry& entry : group.entries)
            widest = std::max(widest, display_width(entry.usage));
    widest = std::min<std::size_t>(widest, 44);
    for (const auto& group : report.groups) {
        out += style.strong(group.title) + "\n";
        for (const HelpEntry& entry : group.entries)
            out += fmt::format("  {}  {}\n", padded(entry.usage, widest), entry.summary);
    }
    return out;
}

}  // namespace lantern::cli
