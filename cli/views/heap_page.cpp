#include "cli/views/heap_page.h"

#include <fmt/format.h>

#include "cli/views/page.h"
#include "cli/views/text.h"
#include "core/analysis/heap_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::string row_of_call(const HeapCall& call) {
    std::string place =
        call.line ? html(place_text(short_file(call.file), call.line)) : std::string();
    return fmt::format("<tr><td{}>{}</td><td class=\"quiet\">{}</td></tr>",
                       call.is_library ? " class=\"quiet\"" : "", html(name_text(call.function)),
                       place);
}

std::string calls_table(const char* title, const std::vector<HeapCall>& calls,
                        const std::string& about) {
    std::string out = fmt::format("<div class=\"step\"><b>{}</b> <span class=\"quiet\">{}</span>",
                                  title, html(about));
    out += "<table>";
    for (const HeapCall& call : calls) out += row_of_call(call);
    return out + "</table></div>\n";
}

std::string event_table(const char* title, const HeapEvent& event) {
    return calls_table(
        title, event.calls,
        fmt::format(
            "by {}, {:.6f} s after the first request{}", event.way, event.seconds,
            event.thread > 1 ? fmt::format(", in thread {}", event.thread) : std::string()));
}

std::string finding_part(std::size_t number, const HeapFinding& finding) {
    std::string out =
        fmt::format("<h2>{}. {}{}</h2>\n<p>{}</p>\n", number, html(finding.fault.kind),
                    finding.times > 1 ? fmt::format(", {} times", finding.times) : "",
                    html(finding.fault.what));
    if (!finding.statement.empty())
        out += fmt::format("<p><code>{}</code> <span class=\"quiet\">{}</span></p>\n",
                           html(finding.statement),
                           html(place_text(short_file(finding.file), finding.line)));
    out += calls_table("here", finding.calls,
                       finding.expression.empty() ? "" : "through " + finding.expression);
    if (!finding.fault.life) return out;
    out += event_table("born", finding.fault.life->born);
    if (finding.fault.life->died) out += event_table("freed", *finding.fault.life->died);
    for (const std::string& pointer : finding.pointers.named)
        out += fmt::format("<div class=\"step\"><b>pointed to by</b> {}</div>\n", html(pointer));
    return out;
}

std::string leaks_part(const HeapLeaksReport& leaks) {
    if (!leaks.lost.blocks) return "<p>Nothing is lost.</p>\n";
    std::string out =
        fmt::format("<p>{} with {} bytes: nothing leads to them.</p>\n<table>",
                    counted(leaks.lost.blocks, "block"), with_thousands(leaks.lost.bytes));
    for (const HeapLostRow& row : leaks.rows)
        out +=
            fmt::format("<tr><td class=\"number\">{} × {} bytes</td><td>{}</td><td>{}</td></tr>",
                        with_thousands(row.times), with_thousands(row.first.size),
                        html(row.first.what), html(row.born.empty() ? "" : "born in " + row.born));
    return out + "</table>\n";
}

}  // namespace

std::string heap_page(const HeapRunReport& report, const std::string& picture) {
    std::string title = "The heap of " + report.program;
    std::string body = fmt::format(
        "<h1>{}</h1>\n<p>{}; {}.</p>\n", html(title),
        counted(report.findings.size() + report.more_findings, "finding"), html(report.ended));
    for (std::size_t i = 0; i < report.findings.size(); ++i)
        body += finding_part(i + 1, report.findings[i]);
    for (const HeapDamageRow& row : report.check.rows)
        body += fmt::format("<p>Damaged: {}{}</p>\n", html(row.what),
                            row.born.empty() ? "" : html(", born in " + row.born));
    if (report.has_end) {
        body += "<h2>What was not freed</h2>\n" + leaks_part(report.leaks);
    }
    if (!picture.empty())
        body += fmt::format("<h2>What lived, and when</h2>\n<div class=\"picture\">{}</div>\n",
                            picture);
    for (const std::string& note : report.notes)
        body += fmt::format("<p class=\"quiet\">{}</p>\n", html(note));
    return page_of(title, body);
}

}  // namespace lantern::cli
