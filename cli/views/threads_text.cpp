// Threads, signals and notes as tables.
#include <fmt/format.h>

#include "cli/views/own_reports.h"
#include "cli/views/text.h"
#include "core/analysis/notes_report.h"
#include "core/analysis/signals_report.h"
#include "core/analysis/threads_report.h"
#include "core/session/process_fact.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kWidestCell = 28;

// Cells in columns; the first row is the heading. Numbers stand to the right.
std::string table_text(const std::vector<std::vector<std::string>>& rows, const Style& style) {
    std::vector<std::size_t> widths(rows.front().size());
    for (const auto& row : rows)
        for (std::size_t i = 0; i < row.size(); ++i)
            widths[i] = std::max(widths[i], std::min(display_width(row[i]), kWidestCell));
    std::string out;
    for (std::size_t r = 0; r < rows.size(); ++r) {
        std::string line = "  ";
        for (std::size_t i = 0; i < rows[r].size(); ++i) {
            std::string cell = rows[r][i];
            bool is_number =
                r && !cell.empty() && cell.find_first_not_of("0123456789.-+e") == std::string::npos;
            bool heads_numbers =
                r == 0 && rows.size() > 1 && !rows[1][i].empty() &&
                rows[1][i].find_first_not_of("0123456789.-+e") == std::string::npos;
            std::size_t fill =
                display_width(cell) < widths[i] ? widths[i] - display_width(cell) : 0;
            line += is_number || heads_numbers ? std::string(fill, ' ') + cell
                                               : cell + std::string(fill, ' ');
            line += "  ";
        }
        while (line.ends_with(' ')) line.pop_back();
        out += (r ? line : style.faint(line)) + "\n";
    }
    return out;
}

}  // namespace

std::string threads_text(const ThreadsReport& report, const Style& style) {
    std::string out = heading_line("threads", counted(report.rows.size(), "thread"), style);
    std::size_t names = 0, functions = 0, places = 0;
    for (const ThreadRow& row : report.rows) {
        names = std::max(names, display_width(escape_for_display(row.name)));
        functions =
            std::max(functions, std::min<std::size_t>(display_width(name_text(row.function)), 32));
        places = std::max(places, display_width(place_text(row.file, row.line)));
    }
    for (const ThreadRow& row : report.rows) {
        std::string function = name_text(row.function);
        if (display_width(function) > 32) function = function.substr(0, 31) + "…";
        std::string place =
            row.line ? place_text(row.file, row.line) : fmt::format("{:#x}", row.address);
        std::string line = fmt::format("{:>3}  {}  {}  {}  ", row.number,
                                       padded(escape_for_display(row.name), names),
                                       padded(function, functions), padded(place, places));
        std::string doing = row.waits_for.empty() ? row.state : "waits for " + row.waits_for;
        out += (row.is_selected ? style.next_line(" ◆" + line) : "  " + line) + style.faint(doing) +
               "\n";
    }
    if (!report.warning.empty())
        out += " " + style.warning("take care") + " " + report.warning + "\n";
    return out;
}

std::string processes_text(const ProcessesReport& report, const Style& style) {
    if (report.rows.empty()) return "no process runs; launch starts the program\n";
    std::string out = heading_line(
        "processes",
        report.rows.size() == 1 ? "1 process" : fmt::format("{} processes", report.rows.size()),
        style);
    for (const ProcessFact& row : report.rows) {
        std::string line =
            fmt::format("{:>3}  {:>7}  {}", row.number, row.id, escape_for_display(row.program));
        out += (row.is_selected ? style.next_line(" ◆" + line)
                                : "  " + line + style.faint("  stands")) +
               "\n";
    }
    return out;
}

std::string signals_text(const SignalsReport& report, const Style& style) {
    std::vector<std::vector<std::string>> rows{
        {"number", "signal", "rule", "the program", "gets it", "meaning"}};
    static constexpr const char* kRules[] = {"natural", "pass", "swallow", "pause"};
    for (const SignalRow& row : report.rows)
        rows.push_back({std::to_string(row.number), row.name, kRules[static_cast<int>(row.rule)],
                        row.stops ? "stops" : "goes on", row.passes ? "yes" : "no", row.meaning});
    return heading_line("signals", "", style) + table_text(rows, style);
}

namespace {

std::string doubts_of_notes(const NotesReport& report, const Style& style) {
    std::string out;
    unsigned told = 0;
    for (const auto& column : report.columns) {
        if (column.doubt.empty() || column.note == told) continue;
        told = column.note;
        out += fmt::format(" {} what note {} reads was doubtful at its first hit: {}\n",
                           style.warning("take care"), column.note, column.doubt);
    }
    return out;
}

}  // namespace

std::string notes_text(const NotesReport& report, const Style& style) {
    if (report.columns.empty())
        return "nothing is noted; note at PLACE EXPR, EXPR records values without stopping\n";
    std::string out = heading_line("notes", counted(report.total, "row"), style);
    if (report.rows.empty()) return out + "  no hit yet; continue runs on\n";
    if (report.total > report.rows.size())
        out += style.faint(fmt::format(
                   "  … {} before these; notes all shows them, save notes as FILE.csv keeps them",
                   with_thousands(report.total - report.rows.size()))) +
               "\n";
    std::vector<std::vector<std::string>> rows{{"seconds", "thread", "note", "hit"}};
    auto with_process = [&](std::vector<std::string>& cells, const std::string& process) {
        if (report.is_of_several_processes) cells.insert(cells.begin() + 1, process);
    };
    with_process(rows[0], "process");
    for (const auto& column : report.columns)
        rows[0].push_back(escape_for_display(column.expression));
    for (const NoteRow& row : report.rows) {
        std::vector<std::string> cells{fmt::format("{:.6f}", row.seconds),
                                       std::to_string(row.thread), std::to_string(row.note),
                                       std::to_string(row.hit)};
        with_process(cells, std::to_string(std::max(row.process, 1u)));
        std::size_t index = 0;
        for (const auto& column : report.columns) {
            bool has_value = column.note == row.note && index < row.values.size();
            cells.push_back(has_value ? escape_for_display(noted_text(row.values[index++])) : "");
        }
        rows.push_back(std::move(cells));
    }
    return out + table_text(rows, style) + doubts_of_notes(report, style);
}

}  // namespace lantern::cli
