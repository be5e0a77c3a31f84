// A diagnosis as text: what happened and where first, then each step of the way back.
#include <fmt/format.h>

#include "cli/views/diagnosis.h"
#include "cli/views/text.h"
#include "core/analysis/diagnosis.h"
#include "core/support/text.h"

namespace lantern::cli {

std::string part_sentence(const Diagnosis& report) {
    if (report.part_is.empty()) return {};
    return fmt::format("{} {}", report.part.empty() ? "the value it used" : report.part,
                       report.part_is);
}

std::string doubt_words(Certainty certainty, const std::string& because) {
    if (certainty == Certainty::certain) return {};
    return fmt::format("{}{}{}", certainty == Certainty::likely ? "likely" : "a guess",
                       because.empty() ? "" : ", because ", because);
}

std::string where_words(const std::string& function, const std::string& file, std::uint32_t line) {
    if (!line) return name_text(function);
    return fmt::format("{}, {}", name_text(function), place_text(short_file(file), line));
}

std::string loop_words(const HangLoop& loop) {
    std::string lines = loop.first_line == loop.last_line
                            ? fmt::format("line {}", loop.first_line)
                            : fmt::format("lines {} to {}", loop.first_line, loop.last_line);
    return fmt::format("thread {} was in one call of {} each time, {} of {}", loop.thread,
                       name_text(loop.function), lines, short_file(loop.file));
}

std::string loop_variables(const HangLoop& loop) {
    std::string changing = loop.changing.empty()
                               ? "nothing changes"
                               : join_with(loop.changing, "and") +
                                     (loop.changing.size() == 1 ? " changes" : " change");
    if (loop.steady.empty()) return changing;
    return fmt::format("{}; {} {}", changing, join_with(loop.steady, "and"),
                       loop.steady.size() == 1 ? "does not" : "do not");
}

std::vector<std::string> next_commands(const Diagnosis& report) {
    std::vector<std::string> next;
    if (!report.has_failed || report.function.empty()) return next;
    if (report.level) next.push_back(fmt::format("frame {}", report.level));
    bool is_expression = report.part.find(' ') == std::string::npos && !report.part.empty();
    if (is_expression) next.push_back(fmt::format("explain {}", report.part));
    if (is_expression && report.part.find_first_of(">.") != std::string::npos)
        next.push_back(fmt::format("restart, then pause when {} changes", report.part));
    if (!report.heap.empty()) next.push_back("heap check");
    if (report.is_heap_worth_a_run)
        next.push_back(
            fmt::format("elm-lantern heap {}, with the same arguments: whose block it is, and "
                        "where it was born and freed",
                        report.program));
    if (!report.threads.empty()) next.push_back("threads");
    next.push_back("locals");
    next.push_back("words");
    if (next.size() > 5) next.resize(5);
    return next;
}

namespace {

std::string row(const std::string& label, const std::string& text, const Style& style) {
    return fmt::format(" {} {}\n", style.faint(padded(label, 8)), text);
}

std::string origin_text(const Diagnosis& report, const Style& style) {
    std::string out;
    unsigned number = 0;
    for (const OriginLink& link : report.origin) {
        std::string where =
            link.function.empty()
                ? ""
                : "  " + style.faint(where_words(link.function, link.file, link.line));
        std::string label = number ? "" : "from";
        ++number;
        out += row(label, fmt::format("{}  {}{}", number, escape_for_display(link.text), where),
                   style);
        if (std::string doubt = doubt_words(link.certainty, link.because); !doubt.empty())
            out += row("", "   " + style.warning(doubt), style);
    }
    if (!report.origin_end.empty())
        out += row(number ? "" : "from",
                   fmt::format("{}{}", number ? "   " : "", escape_for_display(report.origin_end)),
                   style);
    return out;
}

std::string stack_rows(const Diagnosis& report, const Style& style) {
    std::string out;
    for (const DiagnosisFrame& frame : report.stack) {
        // What libraries do between where it failed and the user's own code.
        bool is_between = report.level > 3 && frame.level > 0 && frame.level + 1 < report.level;
        if (is_between && frame.level > 1) continue;
        if (is_between) {
            out += row("", fmt::format("… {} of libraries", report.level - 2), style);
            continue;
        }
        out += row(&frame == &report.stack.front() ? "stack" : "",
                   fmt::format("{:<2} {}", frame.level,
                               where_words(frame.function, frame.file, frame.line)),
                   style);
    }
    if (report.more_frames) out += row("", fmt::format("… {} more", report.more_frames), style);
    return out;
}

std::string thread_rows(const Diagnosis& report, const Style& style) {
    std::string out;
    for (const DiagnosisThread& thread : report.threads) {
        std::string waits = thread.state.empty() ? "" : ", " + thread.state;
        if (!thread.waits_for.empty()) waits += ", waits for " + thread.waits_for;
        if (!thread.shares.empty())
            waits += fmt::format("; has the same in hand: {}", thread.shares);
        out += row(&thread == &report.threads.front() ? "threads" : "",
                   fmt::format("{:<2} {}{}", thread.number,
                               where_words(thread.function, thread.file, thread.line), waits),
                   style);
    }
    if (report.more_threads)
        out += row("", fmt::format("… {} more", with_thousands(report.more_threads)), style);
    if (!report.threads_warning.empty())
        out += row("", style.warning(report.threads_warning), style);
    return out;
}

std::string rows_of(const char* label, const std::vector<std::string>& sentences,
                    const Style& style) {
    std::string out;
    for (const std::string& sentence : sentences)
        out +=
            row(&sentence == &sentences.front() ? label : "", escape_for_display(sentence), style);
    return out;
}

std::string surroundings_rows(const Diagnosis& report, const Style& style) {
    std::string out = rows_of("unusual", report.oddities, style);
    out += rows_of("signals", report.signals, style);
    return out + rows_of("files", file_lines(report), style);
}

}  // namespace

// Several in a line: most are of no interest.
std::vector<std::string> file_lines(const Diagnosis& report) {
    constexpr std::size_t kInLine = 4;
    std::vector<std::string> lines;
    for (std::size_t i = 0; i < report.files.size(); ++i) {
        std::string file = fmt::format("{} {}", report.files[i].number, report.files[i].what);
        if (i % kInLine == 0)
            lines.push_back(file);
        else
            lines.back() += ", " + file;
    }
    if (report.more_files) lines.push_back(fmt::format("… {} more", report.more_files));
    return lines;
}

std::string diagnosis_text(const Diagnosis& report, const Style& style) {
    std::string out = heading_line("diagnosis of " + report.program, report.headline, style);
    out += row("what", escape_for_display(report.what), style);
    for (const StopFact& fact : report.facts)
        out += row(fact.label, escape_for_display(fact.text), style);
    if (!report.function.empty()) {
        std::string thread =
            report.threads.empty() ? "" : fmt::format(", thread {}", report.thread);
        out += row("where",
                   fmt::format("{}{} {}", where_words(report.function, report.file, report.line),
                               report.line ? "" : ", at a place of which the compiler kept no line",
                               style.faint(fmt::format("frame {}{}", report.level, thread))),
                   style);
        if (!report.statement.empty()) out += row("", escape_for_display(report.statement), style);
    }
    if (std::string part = part_sentence(report); !part.empty()) {
        std::string doubt = doubt_words(report.part_certainty, report.part_because);
        out += row("part", style.strong(escape_for_display(part)), style);
        if (!doubt.empty()) out += row("", style.warning(doubt), style);
    }
    if (!report.at_address.empty())
        out += row("there", "lies " + escape_for_display(report.at_address), style);
    out += origin_text(report, style);
    for (const OriginLink& write : report.writes)
        out += row(&write == &report.writes.front() ? "written" : "",
                   fmt::format("{}  {}", escape_for_display(write.text),
                               style.faint(where_words(write.function, write.file, write.line))),
                   style);
    if (!report.confirmed.empty())
        out +=
            row(report.writes.empty() ? "again" : "", escape_for_display(report.confirmed), style);
    if (!report.heap.empty())
        out += row("heap", style.warning("damaged: ") + escape_for_display(report.heap), style);
    for (const HangLoop& loop : report.loops) {
        out += row("loop", escape_for_display(loop_words(loop)), style);
        out += row("", escape_for_display(loop_variables(loop)), style);
    }
    out += stack_rows(report, style);
    out += thread_rows(report, style);
    out += surroundings_rows(report, style);
    bool is_first = true;
    for (const std::string& command : next_commands(report)) {
        out += row(is_first ? "next" : "", escape_for_display(command), style);
        is_first = false;
    }
    return out;
}

}  // namespace lantern::cli
