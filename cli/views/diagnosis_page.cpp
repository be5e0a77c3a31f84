// The page of `elm-lantern diagnose --out DIR`.
#include <fmt/format.h>

#include "cli/views/diagnosis.h"
#include "cli/views/page.h"
#include "core/analysis/diagnosis.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::string doubt(Certainty certainty, const std::string& because) {
    std::string words = doubt_words(certainty, because);
    return words.empty() ? "" : fmt::format("<div class=\"quiet\">{}</div>", html(words));
}

std::string origin(const Diagnosis& report) {
    if (report.origin.empty() && report.origin_end.empty()) return {};
    std::string out = "<h2>Where the value came from</h2>\n";
    for (const OriginLink& link : report.origin)
        out += fmt::format(
            "<div class=\"step\"><code>{}</code> <span class=\"quiet\">{}</span>{}</div>\n",
            html(link.text),
            link.function.empty() ? "" : html(where_words(link.function, link.file, link.line)),
            doubt(link.certainty, link.because));
    if (!report.origin_end.empty())
        out += fmt::format("<p class=\"quiet\">{}</p>\n", html(report.origin_end));
    return out;
}

std::string writes(const Diagnosis& report) {
    if (report.confirmed.empty()) return {};
    std::string out = "<h2>When it was run again</h2>\n";
    for (const OriginLink& write : report.writes)
        out += fmt::format(
            "<div class=\"step\"><code>{}</code> <span class=\"quiet\">{}</span></div>\n",
            html(write.text), html(where_words(write.function, write.file, write.line)));
    return out + fmt::format("<p class=\"quiet\">{}</p>\n", html(report.confirmed));
}

std::string stack(const Diagnosis& report) {
    std::string out = "<h2>The stack</h2>\n<table>";
    for (const DiagnosisFrame& frame : report.stack)
        out += fmt::format("<tr><td class=\"level\">{}</td><td>{}</td></tr>", frame.level,
                           html(where_words(frame.function, frame.file, frame.line)));
    out += "</table>\n";
    if (report.more_frames)
        out += fmt::format("<p class=\"quiet\">and {} more</p>\n", report.more_frames);
    return out;
}

std::string threads(const Diagnosis& report) {
    if (report.threads.empty()) return {};
    std::string out = "<h2>The other threads</h2>\n<table>";
    for (const DiagnosisThread& thread : report.threads)
        out += fmt::format(
            "<tr><td class=\"level\">{}</td><td>{}</td><td>{}</td></tr>", thread.number,
            html(where_words(thread.function, thread.file, thread.line)),
            html((thread.waits_for.empty() ? thread.state : "waits for " + thread.waits_for) +
                 (thread.shares.empty() ? "" : "; has the same in hand: " + thread.shares)));
    out += "</table>\n";
    if (report.more_threads)
        out += fmt::format("<p class=\"quiet\">and {} more</p>\n", report.more_threads);
    if (!report.threads_warning.empty())
        out += fmt::format("<div class=\"advice\">{}</div>\n", html(report.threads_warning));
    return out;
}

std::string sentences(const char* title, const std::vector<std::string>& each) {
    if (each.empty()) return {};
    std::string out = fmt::format("<h2>{}</h2>\n", title);
    for (const std::string& sentence : each) out += fmt::format("<p>{}</p>\n", html(sentence));
    return out;
}

}  // namespace

std::string diagnosis_page(const Diagnosis& report) {
    std::string body = fmt::format("<h1>{}</h1>\n<div class=\"advice{}\">{}</div>\n",
                                   html((report.has_failed ? "Why " + report.program + " failed"
                                                           : "Diagnosis of " + report.program)),
                                   report.has_failed ? "" : " good", html(report.what));
    for (const StopFact& fact : report.facts)
        body += fmt::format("<h2>{}</h2>\n<code class=\"statement\">{}</code>\n", html(fact.label),
                            html(fact.text));
    if (!report.function.empty())
        body += fmt::format("<h2>Where</h2>\n<p>{}</p>\n<code class=\"statement\">{}</code>\n",
                            html(where_words(report.function, report.file, report.line)),
                            html(report.statement));
    if (std::string part = part_sentence(report); !part.empty())
        body += fmt::format("<div class=\"advice\"><b>{}</b>{}</div>\n", html(part),
                            doubt(report.part_certainty, report.part_because));
    if (!report.at_address.empty())
        body += fmt::format("<p>It leads to {}.</p>\n", html(report.at_address));
    body += origin(report) + writes(report);
    if (!report.loops.empty()) body += "<h2>What goes round</h2>\n";
    for (const HangLoop& loop : report.loops)
        body += fmt::format("<div class=\"step\">{}<div class=\"quiet\">{}</div></div>\n",
                            html(loop_words(loop)), html(loop_variables(loop)));
    if (!report.heap.empty())
        body += fmt::format("<h2>The heap is damaged</h2>\n<div class=\"advice\">{}</div>\n",
                            html(report.heap));
    if (!report.stack.empty()) body += stack(report);
    body += threads(report);
    body += sentences("What is unusual about the process", report.oddities);
    body += sentences("Its signals", report.signals);
    body += sentences("Its open files", file_lines(report));
    auto next = next_commands(report);
    if (!next.empty()) body += "<h2>What to look at next</h2>\n<table>";
    for (const std::string& command : next)
        body += fmt::format("<tr><td><code>{}</code></td></tr>", html(command));
    return page_of("Diagnosis", body + (next.empty() ? "" : "</table>\n"));
}

}  // namespace lantern::cli
