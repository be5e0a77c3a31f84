// The call stack as text, innermost first.
#include <fmt/format.h>

#include "cli/views/text.h"
#include "core/analysis/stack_report.h"
#include "core/support/text.h"
#include "core/values/value_view.h"

namespace lantern::cli {
namespace {

std::string parameters_text(const StackRow& row) {
    std::string out;
    for (const ValueView& parameter : row.parameters) {
        std::string value = parameter.unavailable.empty() ? one_line(parameter, 40) : "?";
        out += fmt::format("{}{} = {}", out.empty() ? "" : ", ", parameter.name, value);
    }
    return out;
}

// C++ and Rust can name a function in more than a line. JSON has the whole.
std::string shortened(const std::string& name) {
    constexpr std::size_t kMost = 44;
    std::string shown = name_text(name);
    return shown.size() <= kMost ? shown : shown.substr(0, kMost - 1) + "…";
}

std::string how_found(const StackRow& row) {
    if (row.is_signal_frame) return "the frame of a signal";
    switch (row.origin) {
        case FrameOrigin::frame_pointer: return "found by the frame pointer: likely";
        case FrameOrigin::return_address:
            return "found by the return address on the stack: a guess";
        case FrameOrigin::stack_scan:
            return fmt::format("found by looking through the stack, {} skipped: a guess",
                               counted(row.words_skipped, "word"));
        case FrameOrigin::tail_call:
            if (row.may_lack_others)
                return "inferred: it left by a jump, maybe not straight to the one above";
            return "inferred: it left by a jump to the one above";
        case FrameOrigin::one_of_tail_calls:
            if (row.may_lack_others)
                return "inferred: it left by one of several jumps, maybe not straight to the one "
                       "above; told as called";
            return "inferred: it left by one of several jumps to the one above; told as it was "
                   "called";
        default: return "";
    }
}

// Where no parameters are known, how the frame was found stands in their place.
bool says_how_beside(const StackRow& row) {
    return row.parameters.empty() && !row.is_inlined && row.function.starts_with("0x");
}

std::string spans_text(const std::vector<ParameterSpan>& spans) {
    std::string out;
    for (const ParameterSpan& span : spans) {
        if (span.is_same()) continue;
        std::string what =
            span.low.empty() ? " differs" : fmt::format(" = {} … {}", span.low, span.high);
        out += ", " + span.name + what;
    }
    return out;
}

std::string place_of(const StackRow& row) {
    if (row.line) return place_text(row.file, row.line);
    if (!row.file.empty()) return short_file(row.file);
    return row.module.empty() ? "code of no file" : short_file(row.module);
}

// The columns of all rows: level, name, what it was called with, place.
struct Columns {
    std::size_t digits = 1, name = 0, place = 0;
    std::size_t place_starts = 0;
};

Columns columns_of(const std::vector<StackRow>& rows, std::size_t width) {
    constexpr std::size_t kWidestName = 32, kWidestPlace = 36;
    Columns columns;
    for (const StackRow& row : rows) {
        columns.digits = std::max(columns.digits, std::to_string(row.level).size());
        if (row.is_folded || row.is_left_out) continue;
        columns.name = std::max(columns.name, display_width(shortened(row.function)));
        columns.place = std::max(columns.place, display_width(place_of(row)));
    }
    columns.place = std::min({columns.place, kWidestPlace, width / 3});
    columns.name = std::min({columns.name, kWidestName, width / 3});
    columns.place_starts = width > columns.place + 1 ? width - columns.place - 1 : 0;
    return columns;
}

std::string cut_at_front(const std::string& text, std::size_t width) {
    if (display_width(text) <= width) return text;
    std::string kept = text;
    while (!kept.empty() && display_width(kept) + 1 > width) {
        kept.erase(0, 1);
        while (!kept.empty() && (static_cast<unsigned char>(kept[0]) & 0xc0) == 0x80)
            kept.erase(0, 1);  // a character is cut whole
    }
    return "…" + kept;
}

// A long name takes from the parameters; what neither has room for is cut. frame N and locals have
// the whole.
std::string frame_line(const StackRow& row, const Columns& columns, const Style& style) {
    std::size_t start = 3 + columns.digits + 2,
                room = columns.place_starts > start + 2 ? columns.place_starts - start - 2 : 8;
    std::string inlined = row.is_inlined ? fmt::format("inlined into {}", row.level + 1) : "";
    std::string parameters = row.line || row.is_inlined || !row.parameters.empty()
                                 ? parameters_text(row)
                             : row.function.starts_with("0x") ? ""
                                                              : fmt::format("{:#x}", row.address);
    if (parameters.empty() && says_how_beside(row)) parameters = how_found(row);
    std::size_t for_name = room - std::min(room, inlined.size() + (inlined.empty() ? 0 : 2));
    std::string name = padded(cut(shortened(row.function), std::min(for_name, columns.name)),
                              std::min(columns.name, for_name));
    std::size_t used = display_width(name) + 2 + inlined.size() + (inlined.empty() ? 0 : 2);
    parameters = used + 4 <= room ? cut(parameters, room - used) : "";
    std::string middle = parameters + (parameters.empty() || inlined.empty() ? "" : "  ") + inlined;
    std::string left = padded(fmt::format("{:>{}}  {}{}{}", row.level, columns.digits, name,
                                          middle.empty() ? "" : "  ", middle),
                              columns.place_starts - 3);
    std::string place = cut_at_front(place_of(row), columns.place);
    return row.is_selected ? style.next_line(" ◆ " + left + place)
                           : "   " + left + style.faint(place);
}

std::string remark_line(const std::string& text, const Columns& columns, const Style& style) {
    return fmt::format("   {:>{}}  {}\n", "", columns.digits, style.faint(text));
}

std::string run_line(const StackRow& cycle, const std::string& spans) {
    std::string what =
        cycle.cycle > 1 ? fmt::format("the same {} calls", cycle.cycle) : "the same call";
    return fmt::format("{} {} times, depth {} – {}{}", what, with_thousands(cycle.repeats),
                       with_thousands(cycle.level),
                       with_thousands(cycle.level + cycle.cycle * cycle.repeats - 1), spans);
}

}  // namespace

std::string stack_text(const StackReport& report, const Style& style) {
    std::string title =
        report.thread_number
            ? fmt::format("call stack of thread {}, innermost first", report.thread_number)
            : "call stack, innermost first";
    std::string out = heading_line(title, counted(report.total, "frame"), style);
    Columns columns = columns_of(report.rows, std::min(style.width, 100u));
    std::size_t left_of_cycle = 0;
    const StackRow* cycle = nullptr;
    std::string spans;
    for (const StackRow& row : report.rows) {
        unsigned last = row.level + row.repeats - 1;
        if (row.is_folded || row.is_left_out) {
            std::string what =
                row.is_folded ? fmt::format("… {} of {}, {} – {}", counted(row.repeats, "frame"),
                                            row.folded_of, row.level, last)
                              : fmt::format("… {} more, {} – {}", counted(row.repeats, "frame"),
                                            with_thousands(row.level), with_thousands(last));
            out +=
                remark_line(fmt::format("{}; stack {}..{} shows them", what, row.level, last + 1),
                            columns, style);
            continue;
        }
        out += frame_line(row, columns, style) + "\n";
        if (std::string how = says_how_beside(row) ? "" : how_found(row); !how.empty())
            out += fmt::format("   {:>{}}  {}\n", "", columns.digits, style.warning(how));
        if (row.repeats > 1) {
            cycle = &row;
            left_of_cycle = row.cycle;
            spans.clear();
        }
        if (!cycle) continue;
        spans += spans_text(row.spans);
        if (--left_of_cycle > 0) continue;
        out += remark_line(run_line(*cycle, spans), columns, style);
        cycle = nullptr;
    }
    if (report.is_cut)
        out += fmt::format("   … and further out; only {} frames are walked\n",
                           with_thousands(report.total));
    if (!report.why_ended.empty())
        out += " " + style.warning("take care") + " " + report.why_ended + "\n";
    for (const auto& each : report.candidates)
        out += style.faint(fmt::format(
                   " perhaps   {:#x}, {}: a call stands before it; it lies on the stack at {:#x}",
                   each.leads_to, escape_for_display(each.name), each.at)) +
               "\n";
    return out;
}

}  // namespace lantern::cli
