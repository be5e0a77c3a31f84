#include "core/analysis/source_report.h"

#include <algorithm>
#include <set>

#include "core/code/kept_code.h"
#include "core/support/error.h"
#include "core/symbols/places.h"

namespace lantern {
namespace {

std::set<std::uint32_t> lines_with_code(const Moment& moment, const std::string& file,
                                        std::uint32_t first, std::uint32_t last) {
    // Where the program stands in the file, its own unit is meant: a header's code differs from
    // unit to unit.
    const Frame* frame = moment.selected_frame();
    if (frame && frame->function && frame->line && frame->line->file == file)
        return lines_with_code_in(frame->module->symbols(), *frame->function->unit, file, first,
                                  last);
    std::set<std::uint32_t> lines;
    for (const Module& module : moment.target().modules()) {
        if (module.is_system_library() && !lines.empty()) break;
        for (const dwarf::Unit* unit : units_mentioning(module.symbols(), file))
            lines.merge(lines_with_code_in(module.symbols(), *unit, file, first, last));
    }
    return lines;
}

}  // namespace

namespace {

bool is_joined(const Frame& frame) {
    try {
        return kept_code(frame.module->symbols(), *frame.function)
            .joined_rows()
            .is_joined(*frame.position);
    } catch (const Error&) {  // what the file says of the code is damaged
        return false;
    }
}

}  // namespace

LineState line_state(const Moment& moment, const Frame& frame) {
    if (frame.has_left) return LineState::left;
    bool is_innermost =
        frame.registers.stack_pointer() == moment.stack().frame(0)->registers.stack_pointer();
    if (!is_innermost || (frame.level > 0 && frame.lookup_address != frame.program_counter))
        return LineState::waiting;
    if (frame.level > 0) return LineState::begun;  // holds an inlined call that is running
    const Stop& stop = moment.stop();
    bool failed = stop.reason == StopReason::signal && stop.is_fault;
    if (failed) return LineState::fails;
    // A statement that begins here is next. In the middle of a row, or of a line that has code
    // right before, it has begun; a call in it may just have come back.
    FileAddress at = frame.module->to_file(frame.program_counter);
    const CodePosition* position = frame.position ? &*frame.position : nullptr;
    if (!position || position->address != at) return LineState::begun;
    bool came_back = stop.reason == StopReason::returned || stop.left_function;
    if (!position->is_statement && came_back) return LineState::begun;
    if (!frame.function || !any_contains(frame.function->ranges, at - 1)) return LineState::next;
    auto before = frame.module->symbols().positions_of(*frame.function).in_force(at - 1);
    bool goes_on = before && before->inlined == position->inlined && before->file &&
                   position->is_on(*before->file, before->line);
    if (!goes_on || position->order > 0) return LineState::next;
    return !came_back && is_joined(frame) ? LineState::next : LineState::begun;
}

SourceReport report_source(const Moment& moment, const std::string& file, std::uint32_t first,
                           std::uint32_t last) {
    SourceReport report;
    report.file = file;
    report.is_stale = lantern::is_stale(moment, file);
    const Frame* frame = moment.selected_frame();
    if (frame && frame->line && frame->line->file == file) {
        report.current_line = frame->line->line;
        report.current_state = line_state(moment, *frame);
    }
    const SourceText* text = moment.sources().find(file);
    if (!text) return report;
    report.found_at = text->path.string();
    report.last_line = static_cast<std::uint32_t>(text->lines.size());
    std::set<std::uint32_t> with_code = lines_with_code(moment, file, std::max(first, 1u), last);
    CodeReader reader(moment.presentation().wants_code_parts ? code_language(file)
                                                             : CodeLanguage::none);
    constexpr std::uint32_t kLongestComment = 1000;  // lines
    for (std::uint32_t number = first > kLongestComment ? first - kLongestComment : 1;
         moment.presentation().wants_code_parts && number < first && number <= report.last_line;
         ++number)
        reader.parts(text->lines[number - 1]);
    for (std::uint32_t number = std::max(first, 1u); number <= std::min(last, report.last_line);
         ++number) {
        SourceRow row;
        row.number = number;
        row.text = text->lines[number - 1];
        row.parts = reader.parts(row.text);
        row.has_code = with_code.count(number) != 0;
        row.is_current = number == report.current_line;
        if (row.is_current) row.state = report.current_state;
        for (const Breakpoint& breakpoint : moment.breakpoints())
            for (const Breakpoint::Site& site : breakpoint.sites)
                if (site.code.line == number && site.code.file == file) {
                    row.breakpoints.push_back({breakpoint.number, breakpoint.is_on});
                    break;
                }
        report.rows.push_back(std::move(row));
    }
    return report;
}

SourceReport report_source_around(const Moment& moment, const std::string& file, std::uint32_t line,
                                  unsigned lines) {
    unsigned after = (lines - 1) / 2, before = lines - 1 - after;
    return report_source(moment, file, line > before ? line - before : 1, line + after);
}

}  // namespace lantern
