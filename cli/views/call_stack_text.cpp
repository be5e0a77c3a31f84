// The call stack as text, innermost first.
#include <fmt/format.h>

#include "cli/views/text.h"
#include "core/support/text.h"

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
    std::string shown = escape_for_display(name);
    return shown.size() <= kMost ? shown : shown.substr(0, kMost - 1) + "…";
}

std::string how_found(const StackRow& row) {
    if (row.is_signal_frame) return "the frame of a signal";
    switch (row.origin) {
        case FrameOrigin::frame_pointer: return "found by the frame pointer: likely";
        case FrameOrigin::return_address: return "found by the return address on the stack: a guess";
        case FrameOrigin::stack_scan: return fmt::format("found by looking through the stack, {} skipped: a guess", counted(row.words_skipped, "word"));
        case FrameOrigin::tail_call: return "inferred: it left by a jump to the one above";
        default: return "";
    }
}

}  // namespace

std::string stack_text(const StackReport& report, const Style& style) {
    std::string title = report.thread_number ? fmt::format("call stack of thread {}, innermost first", report.thread_number) : "call stack, innermost first";
    std::string out = heading_line(title, counted(report.total, "frame"), style);
    std::size_t name_width = 0, digits = 1;
    for (const StackRow& row : report.rows) {
        name_width = std::max(name_width, display_width(shortened(row.function)));
        digits = std::max(digits, std::to_string(row.level).size());
    }
    name_width = std::min<std::size_t>(name_width, 32);
    std::size_t width = std::min(style.width, 100u);
    std::size_t left_of_cycle = 0;
    const StackRow* cycle = nullptr;
    for (const StackRow& row : report.rows) {
        if (row.is_folded) {
            out += style.faint(fmt::format("   {:>{}}  … {} frames of {}, {} – {}; stack all shows them", row.level, digits, row.repeats, short_file(row.module), row.level, row.level + row.repeats - 1)) + "\n";
            continue;
        }
        std::string place = row.line ? place_text(row.file, row.line) : row.module.empty() ? fmt::format("{:#x}", row.address) : short_file(row.module);
        std::string middle = parameters_text(row);
        if (row.is_inlined) middle += fmt::format("{}inlined into {}", middle.empty() ? "" : "  ", row.level + 1);
        // What does not fit into the line is cut; frame N and locals have the whole.
        std::size_t fixed = digits + 2 + std::max(name_width, display_width(shortened(row.function))) + 2 + 3 + 2 + display_width(place);
        std::size_t room = std::max<std::size_t>(style.width > fixed ? style.width - fixed : 0, 24);
        middle = cut(middle, room);
        std::string left = fmt::format("{:>{}}  {}  {}", row.level, digits, padded(shortened(row.function), name_width), middle);
        std::size_t used = display_width(left) + 3 + display_width(place);
        left += used + 2 < width ? std::string(width - used, ' ') : "  ";
        out += row.is_selected ? style.next_line(" ◆ " + left + place) : "   " + left + style.faint(place);
        std::string how = how_found(row);
        out += how.empty() ? "\n" : "  " + style.warning(how) + "\n";
        if (row.repeats > 1) {
            cycle = &row;
            left_of_cycle = row.cycle;
        }
        if (!cycle || --left_of_cycle > 0) continue;
        std::string what = cycle->cycle > 1 ? fmt::format("the same {} calls", cycle->cycle) : "the same call";
        std::string depth = fmt::format("{} – {}", with_thousands(cycle->level), with_thousands(cycle->level + cycle->cycle * cycle->repeats - 1));
        out += fmt::format("   {:>{}}  {}\n", "", digits, style.faint(fmt::format("{} {} times, depth {}", what, with_thousands(cycle->repeats), depth)));
        cycle = nullptr;
    }
    if (report.is_cut) out += "   … and further out; stack all walks the whole stack\n";
    if (!report.why_ended.empty()) out += " " + style.warning("take care") + " " + report.why_ended + "\n";
    for (const auto& each : report.candidates)
        out += style.faint(fmt::format(" perhaps   {:#x}, {}: a call stands before it; it lies on the stack at {:#x}", each.leads_to, escape_for_display(each.name), each.at)) + "\n";
    return out;
}

}  // namespace lantern::cli
