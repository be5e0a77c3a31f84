// The life of a block, the places where blocks were born, and what was found in a run, as text.
#include <fmt/format.h>

#include <algorithm>

#include "cli/views/text.h"
#include "core/analysis/heap_history_report.h"
#include "core/analysis/heap_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kCallsShown = 6;

std::string call_text(const HeapCall& call) {
    if (!call.line) return name_text(call.function);
    return fmt::format("{} {}", name_text(call.function),
                       place_text(short_file(call.file), call.line));
}

// "moor wharf.cpp:31 ← main wharf.cpp:80". The user's own calls; the library's where there are
// none.
std::string calls_text(const std::vector<HeapCall>& calls) {
    std::vector<std::string> words;
    for (const HeapCall& call : calls)
        if (!call.is_library && words.size() < kCallsShown) words.push_back(call_text(call));
    for (const HeapCall& call : calls)
        if (words.empty() && call.is_library) words.push_back(call_text(call));
    std::string text;
    for (const std::string& word : words) text += (text.empty() ? "" : " ← ") + word;
    return text.empty() ? "calls that are not known" : text;
}

std::string event_line(const char* label, const HeapEvent& event, const Style& style) {
    std::string thread = event.thread > 1 ? fmt::format(", thread {}", event.thread) : "";
    return fmt::format(" {} {}: {}  {}\n", padded(label, 8), event.way, calls_text(event.calls),
                       style.faint(fmt::format("at {:.6f} s{}", event.seconds, thread)));
}

std::string life_lines(const HeapLife& life, const Style& style) {
    std::string out = event_line("born", life.born, style);
    if (life.died) out += event_line("freed", *life.died, style);
    return out;
}

std::string pointers_text(const HeapPointers& pointers) {
    std::string out;
    for (const std::string& pointer : pointers.named)
        out += fmt::format(" {} {}\n", padded(out.empty() ? "pointers" : "", 8),
                           escape_for_display(pointer));
    if (pointers.more) out += fmt::format(" {} … {} more\n", padded("", 8), pointers.more);
    return out;
}

std::string count_words(const HeapCount& count) {
    return fmt::format("{} {}, {} {}", with_thousands(count.blocks),
                       count.blocks == 1 ? "block" : "blocks", with_thousands(count.bytes),
                       count.bytes == 1 ? "byte" : "bytes");
}

std::string births_words(std::uint64_t births) {
    return fmt::format("{} {}", with_thousands(births), births == 1 ? "birth" : "births");
}

std::string finding_text(std::size_t number, const HeapFinding& finding, const Style& style) {
    std::string place = finding.function.empty() ? "" : name_text(finding.function);
    if (finding.line) place += ", " + place_text(short_file(finding.file), finding.line);
    std::string times = finding.times > 1 ? fmt::format("  {} times", finding.times) : "";
    std::string out =
        fmt::format("\n{} {}{}  {}\n", number, style.warning(finding.fault.kind), times, place);
    out += fmt::format(" {}\n", escape_for_display(finding.fault.what));
    if (!finding.statement.empty())
        out += fmt::format(" {} {}\n", padded("line", 8), escape_for_display(finding.statement));
    if (!finding.expression.empty())
        out +=
            fmt::format(" {} {}\n", padded("through", 8), escape_for_display(finding.expression));
    out += fmt::format(" {} {}\n", padded("here", 8), calls_text(finding.calls));
    if (finding.fault.life)
        out += life_lines(*finding.fault.life, style) + pointers_text(finding.pointers);
    return out;
}

std::string_view guard_text(heap_tables::GuardPage guard) {
    switch (guard) {
        case heap_tables::GuardPage::behind: return ", with a page behind it that nobody may touch";
        case heap_tables::GuardPage::at_end: return ", up to a page that nobody may touch";
        case heap_tables::GuardPage::before: return ", right behind a page that nobody may touch";
        case heap_tables::GuardPage::none: break;
    }
    return "";
}

}  // namespace

std::string heap_life_text(const HeapLifeReport& report, const Style& style) {
    const HeapLife& life = report.life;
    std::string state = life.died ? "freed, and kept back" : "in use";
    std::string out = heading_line(
        fmt::format("heap block {} of {}", life.number, counted(life.size, "byte")), state, style);
    out += fmt::format(" {} {:#x}{}\n", padded("at", 8), life.address, guard_text(life.guard));
    if (!report.note.empty()) out += fmt::format(" {} {}\n", padded("", 8), report.note);
    out += life_lines(life, style);
    std::string pointers = pointers_text(report.pointers);
    if (pointers.empty() && !life.died)
        pointers = fmt::format(" {} none: nobody points to it\n", padded("pointers", 8));
    return out + pointers;
}

std::string heap_places_text(const HeapPlacesReport& report, const Style& style) {
    std::string out = heading_line("where blocks were born", count_words(report.now), style);
    out += fmt::format("{}; at most {} bytes lived at a time\n", births_words(report.births),
                       with_thousands(report.peak_bytes));
    if (!report.rows.empty())
        out += style.faint("   bytes now       blocks      at the peak") + "\n";
    for (const HeapPlaceRow& row : report.rows)
        out += fmt::format("  {:>12} {:>11} {:>14}  {}\n", with_thousands(row.now.bytes),
                           with_thousands(row.now.blocks),
                           row.at_peak ? with_thousands(row.at_peak) : "", calls_text(row.calls));
    if (report.total > report.rows.size())
        out += fmt::format("  … {} more; limit {} shows more of them\n",
                           report.total - report.rows.size(), report.rows.size() * 10);
    return out;
}

std::string heap_run_text(const HeapRunReport& report, const Style& style) {
    std::string out =
        heading_line("the heap of " + report.program,
                     counted(report.findings.size() + report.more_findings, "finding"), style);
    for (std::size_t i = 0; i < report.findings.size(); ++i)
        out += finding_text(i + 1, report.findings[i], style);
    if (report.more_findings)
        out += fmt::format("\n… {} more of other kinds or places\n", report.more_findings);
    if (!report.findings.empty()) out += "\n";
    for (const HeapDamageRow& row : report.check.rows) {
        out += fmt::format("{} {}{}\n", style.warning("damaged"), row.what,
                           row.born.empty() ? "" : ", born in " + row.born);
        if (!row.content.empty())
            out += fmt::format("        behind it lies {}\n", escape_for_display(row.content));
    }
    if (report.has_end) {
        if (report.leaks.lost.blocks) {
            out += fmt::format("{} {}: nothing leads to them when the program ends\n",
                               style.warning("lost"), count_words(report.leaks.lost));
            for (const HeapLostRow& row : report.leaks.rows) {
                std::string times =
                    row.times > 1 ? fmt::format("{} × ", with_thousands(row.times)) : "";
                std::string what =
                    row.first.what.empty() ? "" : "  " + escape_for_display(row.first.what);
                std::string more =
                    row.whole.blocks > row.times
                        ? fmt::format(", {} with what they lead to", count_words(row.whole))
                        : "";
                out += fmt::format("  {}{} bytes{}  born in {}{}\n", times,
                                   with_thousands(row.first.size), what,
                                   row.born.empty() ? "a place that is not known" : row.born, more);
            }
        } else {
            out += "nothing is lost: something leads to each block that was not freed\n";
        }
        out +=
            fmt::format("{} births, at most {} bytes at a time; {} not freed at the end\n",
                        with_thousands(report.places.births),
                        with_thousands(report.places.peak_bytes), count_words(report.leaks.in_use));
    }
    for (const std::string& note : report.notes)
        out += fmt::format("{} {}\n", style.faint("note"), note);
    return out + report.ended + "\n";
}

}  // namespace lantern::cli
