#include "core/analysis/notes_report.h"

#include <algorithm>

namespace lantern {

NotesReport report_notes(const NoteTable& notes, const std::list<Breakpoint>& breakpoints,
                         std::size_t most_rows) {
    NotesReport report;
    for (const Breakpoint& breakpoint : breakpoints)
        for (const std::string& expression : breakpoint.noted)
            report.columns.push_back(
                {breakpoint.number, expression, breakpoint.place.text, breakpoint.counts->doubt});
    const auto& rows = notes.rows();
    report.total = rows.size();
    report.is_of_several_processes = notes.is_of_several_processes();
    auto shown = static_cast<std::ptrdiff_t>(std::min(rows.size(), most_rows));
    report.rows.assign(rows.end() - shown, rows.end());
    if (report.is_of_several_processes)
        for (NoteRow& row : report.rows) row.process = std::max(row.process, 1u);
    return report;
}

}  // namespace lantern
