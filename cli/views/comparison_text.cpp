// Two builds and two runs, as text.
#include <fmt/format.h>

#include <algorithm>

#include "cli/views/comparison_words.h"
#include "cli/views/text.h"
#include "core/comparison/comparison_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kLeftOutShown = 8, kNameWidth = 30;

std::string side_head(const char* label, const std::string& program, const std::string& compiler,
                      const Style& style) {
    return fmt::format("{}  {}  {}\n", style.strong(label), escape_for_display(program),
                       style.faint(compiler));
}

std::string totals(const BuildComparison& builds, const Style& style) {
    std::string out = heading_line("Side by side", "", style);
    out += style.faint(fmt::format("  {} {:>14} {:>14}\n", padded("", 28), "A", "B"));
    for (const ComparisonRow& row : total_rows(builds))
        out += fmt::format("  {} {:>14} {:>14}\n", padded(row.label, 28), row.a, row.b);
    return out;
}

std::string function_line(const FunctionComparison& row, const Style& style) {
    FunctionCells cells = cells_of(row);
    std::string name = name_text(row.name);
    if (name.size() > kNameWidth) name = name.substr(0, kNameWidth - 1) + "…";
    std::string out =
        fmt::format("  {} {} {} {} {}  {}\n", padded(name, kNameWidth), padded(cells.bytes, 15),
                    padded(cells.frame, 11), padded(cells.lines, 9), padded(cells.cover, 13),
                    style.faint(place_text(short_file(row.file), row.line)));
    for (const std::string& sentence : sentences_of(row))
        out += fmt::format("      {}\n", escape_for_display(sentence));
    return out;
}

std::string functions_part(const BuildComparison& builds, const Style& style) {
    if (builds.rows.empty())
        return fmt::format("  the {} of the program are alike in both\n",
                           counted(builds.alike, "function"));
    std::string out = heading_line("What has changed most", "", style);
    out += style.faint(fmt::format("  {} {} {} {} {}\n", padded("function, A | B", kNameWidth),
                                   padded("bytes", 15), padded("frame", 11), padded("lines", 9),
                                   padded("variables", 13)));
    for (const FunctionComparison& row : builds.rows) out += function_line(row, style);
    std::size_t more = builds.changed - builds.rows.size();
    out += style.faint(fmt::format("  {}{} alike in both\n",
                                   more ? fmt::format("{} more have changed, ", more) : "",
                                   builds.alike));
    return out;
}

std::string indented(const std::string& text) {
    std::string out;
    for (std::size_t at = 0; at < text.size();) {
        std::size_t end = std::min(text.find('\n', at), text.size() - 1) + 1;
        out += "    " + text.substr(at, end - at);
        at = end;
    }
    return out;
}

std::string side_part(const char* label, const PartedSide& side, const Style& style) {
    std::string call = side.call_line
                           ? "  called at " + place_text(short_file(side.call_file), side.call_line)
                           : "";
    std::string out = fmt::format(" {}  {}{}\n", style.strong(label), escape_for_display(side.does),
                                  style.faint(call));
    if (!side.set_by_nobody.empty())
        out += fmt::format("    {} when it returns: {}\n", style.warning("perhaps never set"),
                           escape_for_display(side.set_by_nobody));
    if (!side.no_stack.empty()) out += fmt::format("    no stack: {}\n", side.no_stack);
    if (side.stack) out += indented(stack_text(*side.stack, style));
    if (side.locals) out += indented(locals_text(*side.locals, style));
    return out;
}

std::string inside_lines(const std::vector<std::string>& calls) {
    std::string out;
    for (std::size_t i = 0; i < calls.size(); ++i)
        out += (i ? "\n       → " : "   inside ") + escape_for_display(calls[i]);
    return out.empty() ? "" : out + "\n";
}

std::string lead_part(const UnsetLead& lead, const Style& style) {
    std::string out = fmt::format(" {}\n   {}\n",
                                  style.strong(fmt::format("In {}, memory that nothing has set is "
                                                           "first taken up here",
                                                           lead.side ? "B" : "A")),
                                  escape_for_display(lead.what));
    if (lead.call_line)
        out += fmt::format("   called at {}\n",
                           place_text(short_file(lead.call_file), lead.call_line));
    if (!lead.set_by_nobody.empty())
        out += fmt::format("   {} when it returns: {}\n", style.warning("perhaps never set"),
                           escape_for_display(lead.set_by_nobody));
    out += inside_lines(lead.inside);
    return out + (lead.stack ? indented(stack_text(*lead.stack, style)) : "");
}

std::string parting_part(const PartingReport& parting, const Style& style) {
    std::string out = fmt::format(" {}\n", style.warning(escape_for_display(parting.what)));
    if (!parting.why.empty()) out += fmt::format("   because {}\n", parting.why);
    if (parting.heals)
        out += "   behind it they meet again, and nothing that they compute or write differs\n";
    if (parting.line) {
        for (unsigned side : {0u, 1u})
            out += fmt::format(
                "   {}  {}\n", side ? "B" : "A",
                parting.written[side].empty() ? "nothing more" : quote(parting.written[side]));
    }
    out += inside_lines(parting.inside);
    if (parting.line_part) out += "   " + line_part_text(*parting.line_part) + "\n";
    for (unsigned side : {0u, 1u})
        if (!parting.line) out += side_part(side ? "B" : "A", parting.sides[side], style);
    return out + (parting.unset ? lead_part(*parting.unset, style) : "");
}

std::string left_out_part(const WalkReport& walk) {
    if (walk.left_out.empty()) return "";
    std::string out =
        fmt::format("  {} cannot be walked in both:\n", counted(walk.left_out.size(), "function"));
    for (std::size_t i = 0; i < std::min(walk.left_out.size(), kLeftOutShown); ++i)
        out += fmt::format("    {}  {}\n", padded(name_text(walk.left_out[i].name), kNameWidth),
                           walk.left_out[i].why);
    if (walk.left_out.size() > kLeftOutShown)
        out += fmt::format("    … {} more\n", walk.left_out.size() - kLeftOutShown);
    return out;
}

std::string walk_part(const WalkReport& walk, const Style& style) {
    std::string out = heading_line("Walked in step", walked_words(walk), style);
    if (walk.is_interrupted)
        out += style.warning("  not walked to the end of both: this is what was known till then") +
               "\n";
    if (!walk.first) out += fmt::format("  {}\n", no_parting_text(walk));
    if (walk.first) out += parting_part(*walk.first, style);
    if (walk.then)
        out += style.heading(" And then, the first value that differs") + "\n" +
               parting_part(*walk.then, style);
    for (unsigned side : {0u, 1u})
        if (!walk.ended[side].empty())
            out += fmt::format("  {}  {}\n", side ? "B" : "A", walk.ended[side]);
    for (const std::string& note : walk.notes)
        out += fmt::format("  {} {}\n", style.faint("•"), note);
    return out + left_out_part(walk);
}

}  // namespace

std::string comparison_text(const ComparisonReport& report, const Style& style) {
    std::string out;
    if (report.builds) {
        const auto& builds = report.builds->builds;
        out += side_head("A", builds[0].program, builds[0].compiler, style);
        out += side_head("B", builds[1].program, builds[1].compiler, style);
        out += totals(*report.builds, style) + functions_part(*report.builds, style);
    } else if (report.walk) {
        out += side_head("A and B", report.walk->programs[0], report.walk->compilers[0], style);
    }
    if (report.walk) out += walk_part(*report.walk, style);
    return out;
}

}  // namespace lantern::cli
