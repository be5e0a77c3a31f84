#include "cli/views/comparison_page.h"

#include <fmt/format.h>

#include <filesystem>

#include "cli/views/comparison_words.h"
#include "cli/views/page.h"
#include "cli/views/text.h"
#include "core/analysis/locals_report.h"
#include "core/analysis/stack_report.h"
#include "core/support/text.h"
#include "core/values/value_view.h"

namespace lantern::cli {
namespace {

std::string file_of(const std::string& path) {
    return std::filesystem::path(path).filename().string();
}

std::string side_name(const char* label, const std::string& program, const std::string& compiler) {
    return fmt::format("<p><b>{}</b> {} <span class=\"quiet\">{}</span></p>\n", label,
                       html(program), html(compiler));
}

std::string totals(const BuildComparison& builds) {
    std::string out =
        "<h2>Side by side</h2>\n<table><tr><th></th><th class=\"number\">A</th>"
        "<th class=\"number\">B</th></tr>";
    for (const ComparisonRow& row : total_rows(builds))
        out += fmt::format(
            "<tr><td>{}</td><td class=\"number\">{}</td><td class=\"number\">{}</td></tr>",
            html(row.label), html(row.a), html(row.b));
    return out + "</table>\n";
}

std::string functions_table(const BuildComparison& builds) {
    if (builds.rows.empty()) return "<p>All functions of the program are alike in both.</p>\n";
    std::string out =
        "<h2>What has changed most</h2>\n<table><tr><th>function</th><th>bytes</th>"
        "<th>frame</th><th>lines</th><th>variables have values</th></tr>";
    for (const FunctionComparison& row : builds.rows) {
        FunctionCells cells = cells_of(row);
        out += fmt::format("<tr><td><b>{}</b> <span class=\"quiet\">{}</span>",
                           html(name_text(row.name)),
                           html(place_text(short_file(row.file), row.line)));
        for (const std::string& sentence : sentences_of(row))
            out += fmt::format("<br><span class=\"quiet\">{}</span>", html(sentence));
        out += fmt::format("</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td></tr>\n", cells.bytes,
                           cells.frame, cells.lines, cells.cover);
    }
    std::uint64_t more = builds.changed - builds.rows.size();
    return out + fmt::format("</table>\n<p class=\"quiet\">{}{} alike in both.</p>\n",
                             more ? fmt::format("{} more have changed, ", more) : "", builds.alike);
}

std::string stack_table(const StackReport& stack) {
    std::string out = "<table>";
    for (const StackRow& row : stack.rows)
        out += fmt::format(
            "<tr><td class=\"number\">{}</td><td>{}</td><td "
            "class=\"quiet\">{}</td></tr>",
            row.level, html(name_text(row.function)),
            row.line ? html(place_text(short_file(row.file), row.line)) : "");
    return out + "</table>";
}

std::string variables_table(const LocalsReport& locals) {
    std::string out = "<table>";
    for (const ValueView& each : locals.variables) {
        bool has_nothing = is_unset(each.assignment);
        std::string value = each.unavailable.empty() ? one_line(each, 100) : each.unavailable;
        out += fmt::format("<tr><td>{}</td><td{}>{}{}</td></tr>", html(each.name),
                           each.unavailable.empty() && !has_nothing ? "" : " class=\"quiet\"",
                           html(value), has_nothing ? " (" + html(qualification(each)) + ")" : "");
    }
    return out + "</table>";
}

std::string side_part(const char* label, const PartedSide& side) {
    std::string out = fmt::format("<div class=\"step\"><b>{}</b> {}", label, html(side.does));
    if (side.call_line)
        out += fmt::format(" <span class=\"quiet\">called at {}</span>",
                           html(place_text(short_file(side.call_file), side.call_line)));
    if (!side.set_by_nobody.empty())
        out += fmt::format("<br>perhaps never set when it returns: <b>{}</b>",
                           html(side.set_by_nobody));
    if (!side.no_stack.empty())
        out += fmt::format("<br><span class=\"quiet\">no stack: {}</span>", html(side.no_stack));
    if (side.stack) out += stack_table(*side.stack);
    if (side.locals) out += variables_table(*side.locals);
    return out + "</div>\n";
}

std::string lead_part(const UnsetLead& lead) {
    std::string out = fmt::format(
        "<div class=\"step\"><b>In {}, memory that nothing has set is first taken up "
        "here</b><br>{}",
        lead.side ? "B" : "A", html(lead.what));
    if (lead.call_line)
        out += fmt::format(" <span class=\"quiet\">called at {}</span>",
                           html(place_text(short_file(lead.call_file), lead.call_line)));
    if (!lead.set_by_nobody.empty())
        out += fmt::format("<br>perhaps never set when it returns: <b>{}</b>",
                           html(lead.set_by_nobody));
    return out + (lead.stack ? stack_table(*lead.stack) : "") + "</div>\n";
}

std::string parting_part(const PartingReport& parting) {
    std::string out = fmt::format("<p><b>{}</b></p>\n", html(parting.what));
    if (!parting.why.empty()) out += fmt::format("<p>Because {}.</p>\n", html(parting.why));
    if (parting.heals)
        out +=
            "<p>Behind it they meet again, and nothing that they compute or write differs.</p>\n";
    if (parting.line)
        for (unsigned side : {0u, 1u})
            out += fmt::format(
                "<div class=\"step\"><b>{}</b> <code>{}</code></div>\n", side ? "B" : "A",
                parting.written[side].empty() ? "nothing more" : html(parting.written[side]));
    std::string inside;
    for (const std::string& call : parting.inside)
        inside += (inside.empty() ? "" : " → ") + html(call);
    if (!inside.empty()) out += fmt::format("<p class=\"quiet\">inside {}</p>\n", inside);
    if (parting.line_part)
        out += fmt::format("<p>{}</p>\n", html(line_part_text(*parting.line_part)));
    if (!parting.line) out += side_part("A", parting.sides[0]) + side_part("B", parting.sides[1]);
    return out + (parting.unset ? lead_part(*parting.unset) : "");
}

std::string walk_part(const WalkReport& walk) {
    std::string out = fmt::format("<h2>Walked in step</h2>\n<p class=\"quiet\">{}</p>\n",
                                  html(walked_words(walk)));
    if (walk.is_interrupted)
        out += "<p>Not walked to the end of both: this is what was known till then.</p>\n";
    if (!walk.first) out += fmt::format("<p>{}</p>\n", html(no_parting_text(walk)));
    if (walk.first) out += parting_part(*walk.first);
    if (walk.then)
        out += "<h2>And then, the first value that differs</h2>\n" + parting_part(*walk.then);
    for (unsigned side : {0u, 1u})
        if (!walk.ended[side].empty())
            out += fmt::format("<p>{}: {}</p>\n", side ? "B" : "A", html(walk.ended[side]));
    for (const std::string& note : walk.notes)
        out += fmt::format("<p class=\"quiet\">{}</p>\n", html(note));
    if (walk.left_out.empty()) return out;
    out += "<h2>Not walked</h2>\n<table>";
    for (const Unmatched& each : walk.left_out)
        out += fmt::format("<tr><td>{}</td><td class=\"quiet\">{}</td></tr>",
                           html(name_text(each.name)), html(each.why));
    return out + "</table>\n";
}

}  // namespace

std::string comparison_page(const ComparisonReport& report) {
    std::string title = "Two builds", body;
    if (report.builds) {
        const auto& builds = report.builds->builds;
        title = fmt::format("{} and {}", file_of(builds[0].program), file_of(builds[1].program));
        body = side_name("A", builds[0].program, builds[0].compiler) +
               side_name("B", builds[1].program, builds[1].compiler);
    } else if (report.walk) {
        title = "Two runs of " + file_of(report.walk->programs[0]);
    }
    body = fmt::format("<h1>{}</h1>\n", html(title)) + body;
    if (report.walk) body += walk_part(*report.walk);
    if (report.builds) body += totals(*report.builds) + functions_table(*report.builds);
    return page_of(title, body);
}

}  // namespace lantern::cli
