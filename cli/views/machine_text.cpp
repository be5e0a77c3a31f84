// registers, disassembly, regions
#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "cli/views/text.h"
#include "core/analysis/disassembly_report.h"
#include "core/analysis/memory_report.h"
#include "core/analysis/registers_report.h"
#include "core/support/text.h"
#include "core/values/scalar_text.h"

namespace lantern::cli {
namespace {

// The highest byte first, as a number is written; long rows of zeros at the front are left out.
std::string number_text(const std::vector<std::byte>& bytes) {
    std::size_t end = bytes.size();
    while (end > 8 && bytes[end - 1] == std::byte{}) --end;
    std::string text = "0x";
    for (std::size_t i = end; i-- > 0;)
        text +=
            fmt::format("{:02x}{}", static_cast<unsigned>(bytes[i]), i && i % 8 == 0 ? "'" : "");
    return text;
}

unsigned lanes_of(const DisassemblyReport& report) {
    unsigned lanes = 0;
    for (const JumpArrow& arrow : report.arrows) lanes = std::max(lanes, arrow.lane + 1);
    return lanes;
}

// The margin of each row: jumps as lines that leave at one row and arrive at another.
std::vector<std::string> margins_of(const DisassemblyReport& report) {
    unsigned lanes = lanes_of(report);
    if (!lanes) return std::vector<std::string>(report.rows.size());
    std::size_t width = 2 * lanes + 1;
    std::vector<std::vector<std::string>> cells(report.rows.size(),
                                                std::vector<std::string>(width, " "));
    // The widest ones first, so that shorter ones are drawn over them.
    std::vector<JumpArrow> arrows = report.arrows;
    std::stable_sort(arrows.begin(), arrows.end(),
                     [](const JumpArrow& a, const JumpArrow& b) { return a.lane > b.lane; });
    for (const JumpArrow& arrow : arrows) {
        std::size_t column = 2 * (lanes - 1 - arrow.lane), top = std::min(arrow.from, arrow.to),
                    bottom = std::max(arrow.from, arrow.to);
        for (std::size_t row = top + 1; row < bottom; ++row)
            cells[row][column] = cells[row][column] == "─" ? "┼" : "│";
        for (std::size_t row : {top, bottom})
            for (std::size_t at = column + 1; at < width; ++at)
                cells[row][at] = cells[row][at] == "│" ? "┼" : "─";
        cells[top][column] = top == bottom ? "─" : "╭";
        cells[bottom][column] = top == bottom ? "─" : "╰";
        cells[arrow.to][width - 1] = "►";
    }
    std::vector<std::string> margins;
    for (const auto& row : cells) margins.push_back(fmt::format("{}", fmt::join(row, "")));
    return margins;
}

// What passes by between a row and the one before it.
std::vector<std::string> passing_before(const DisassemblyReport& report) {
    unsigned lanes = lanes_of(report);
    std::vector<std::vector<std::string>> cells(
        report.rows.size(), std::vector<std::string>(lanes ? 2 * lanes + 1 : 0, " "));
    for (const JumpArrow& arrow : report.arrows)
        for (std::size_t row = std::min(arrow.from, arrow.to) + 1;
             row <= std::max(arrow.from, arrow.to); ++row)
            cells[row][2 * (lanes - 1 - arrow.lane)] = "│";
    std::vector<std::string> passing;
    for (const auto& row : cells) passing.push_back(fmt::format("{}", fmt::join(row, "")));
    return passing;
}

// Stands where the addresses stand; the jumps that pass by go on beside it.
std::string block_heading(const DisassemblyRow& row, const std::string& own_file,
                          const std::string& passing, const Style& style) {
    std::string number = own_file.empty() || row.file == own_file ? fmt::format("{:>4}", row.line)
                                                                  : place_text(row.file, row.line);
    std::string what =
        "      " + passing +
        style.faint(row.line ? fmt::format("  {}  {}", number, escape_for_display(row.source))
                             : "        no line");
    std::string notes;
    if (row.inlined_depth)
        notes +=
            fmt::format("  inlined: {}{}", name_text(row.function),
                        row.inlined_depth > 1 ? fmt::format(", depth {}", row.inlined_depth) : "");
    if (row.blocks > 1) notes += fmt::format("  block {} of {}", row.block, row.blocks);
    return what + style.mark(notes) + "\n";
}

}  // namespace

std::string registers_text(const RegistersReport& report, const Style& style) {
    std::string title = "registers";
    if (report.thread_number) title += fmt::format(" of thread {}", report.thread_number);
    if (report.level)
        title += fmt::format(" in frame {}, {}", report.level, name_text(report.function));
    std::string out =
        heading_line(title, report.changed ? fmt::format("{} changed", report.changed) : "", style);
    std::size_t names = 3;
    for (const RegisterRow& row : report.rows) names = std::max(names, row.name.size());
    std::map<std::string, std::vector<std::string>> unknown;  // names, by the reason
    for (const RegisterRow& row : report.rows) {
        std::string line = "  " + padded(row.name, names) + "  ";
        if (!row.unknown.empty()) {
            unknown[row.unknown].push_back(row.name);
            continue;
        }
        std::string value = row.number ? fmt::format("{:#x}", *row.number) : number_text(row.bytes);
        if (row.number && *row.number > 9 && *row.number < 1'000'000'000 && row.points_at.empty() &&
            row.text.empty())
            value += fmt::format(" ({})", with_thousands(*row.number));
        std::string note = escape_for_display(row.text.empty() ? row.points_at : row.text);
        if (!row.bytes.empty() && row.text == "zero") value = "0";
        std::size_t width = row.bytes.empty() ? 20 : 0;
        std::string shown = padded(value, width);
        bool is_flags = row.group == RegisterGroup::flags;
        if (!row.before.empty() && row.bytes.empty())
            shown = style.changed(
                padded(fmt::format("{} → {}", row.before, is_flags ? note : value), width));
        if (is_flags && !row.before.empty()) note.clear();
        line += shown + (note.empty() || row.text == "zero" ? "" : "  " + style.faint(note));
        if (!row.before.empty() && !row.bytes.empty())
            out += "  " + padded(row.name, names) + "  " + style.changed(row.before + " →") + "\n";
        out += line + "\n";
    }
    for (const auto& [why, rows] : unknown)
        out += style.faint(fmt::format("  not known here: {}: {}", join_with(rows, "and"), why)) +
               "\n";
    return out;
}

std::string disassembly_text(const DisassemblyReport& report, const Style& style) {
    std::string out = heading_line(
        "disassembly of " + (report.function.empty() ? "memory" : name_text(report.function)),
        short_file(report.module), style);
    if (report.before)
        out +=
            style.faint(fmt::format("  … {} before", counted(report.before, "instruction"))) + "\n";
    std::vector<std::string> margins = margins_of(report), passing = passing_before(report);
    for (std::size_t i = 0; i < report.rows.size(); ++i) {
        const DisassemblyRow& row = report.rows[i];
        if (!row.part.empty())
            out += "      " + passing[i] + style.mark(fmt::format("  ── {} ──", row.part)) + "\n";
        if (row.starts_block && (row.line || i > 0))
            out += block_heading(row, report.file, passing[i], style);
        std::string mark =
            row.breakpoints.empty() ? "" : fmt::format("▪{}", row.breakpoints.front());
        std::string line = fmt::format("{} {} {}  {:#x}    ", padded(mark, 3),
                                       row.is_next ? "◆" : " ", margins[i], row.address);
        if (report.shows_bytes) line += padded(hex_bytes(row.bytes), 30) + "  ";
        line += escape_for_display(row.text);
        std::string note = row.refers_to.empty() ? "" : "   " + escape_for_display(row.refers_to);
        out += (row.is_next ? style.next_line(line) : line) + style.faint(note) + "\n";
    }
    if (report.after)
        out += style.faint(fmt::format("  … {} more; disassembly all shows them",
                                       counted(report.after, "instruction"))) +
               "\n";
    for (std::size_t i = 0; i < report.operands.size(); ++i) {
        const OperandNow& operand = report.operands[i];
        std::string line = padded(i == 0 ? " operands" : "", 11) + padded(operand.text, 24);
        std::string note =
                        operand.note.empty() ? "" : " (" + escape_for_display(operand.note) + ")",
                    value = escape_for_display(operand.value);
        if (operand.address)
            line += fmt::format("  at {:#x}{}{}", *operand.address, note,
                                value.empty() ? "" : "  holds " + value);
        else if (!value.empty())
            line += "  is " + value + note;
        out += line + "\n";
    }
    if (!report.jump.empty()) out += " jump      " + report.jump + "\n";
    if (!report.counts.empty()) {
        out += heading_line("instructions of each line", "", style);
        for (const LineCount& count : report.counts)
            out += fmt::format("  {:<28} {:>5} {:<13} {:>6} bytes  {}\n",
                               place_text(count.file, count.line), count.instructions,
                               count.instructions == 1 ? "instruction" : "instructions",
                               count.bytes, counted(count.blocks, "block"));
    }
    return out;
}

std::string regions_text(const RegionsReport& report, const Style& style) {
    std::string size = fmt::format(
        "{} KB{}", with_thousands(report.total / 1024),
        report.resident
            ? fmt::format(", {} KB of it in memory", with_thousands(report.resident / 1024))
            : "");
    std::string out = heading_line("regions", size, style);
    for (const RegionRow& row : report.rows) {
        std::uint64_t bytes = row.end - row.begin;
        std::string resident =
            row.resident ? fmt::format("{:>4} %", *row.resident * 100 / bytes) : "";
        out += fmt::format("  {:#014x}  {:>12} KB  {}  {:>6}  {:<30} {}\n", row.begin,
                           with_thousands(bytes / 1024), row.permissions, resident, row.what,
                           style.faint(short_file(row.file)));
    }
    return out;
}

}  // namespace lantern::cli
