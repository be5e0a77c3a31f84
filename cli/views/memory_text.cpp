// memory, what was found in it, what changed in it, and the words of a stack frame
#include <fmt/format.h>

#include <algorithm>

#include "cli/views/text.h"
#include "core/analysis/memory_report.h"
#include "core/analysis/words_report.h"
#include "core/support/text.h"
#include "core/values/scalar_text.h"

namespace lantern::cli {
namespace {

std::string from_end_text(std::int64_t offset) {
    return offset < 0 ? fmt::format("-{:#04x}", -offset) : fmt::format("+{:#04x}", offset);
}

}  // namespace

namespace {

// Sixteen bytes in a line, eight where the window is narrow; without a line's end.
std::string text_of_bytes(const MemoryRow& row, const Style& style) {
    constexpr std::size_t kWide = 86;
    std::size_t per_line = style.width >= kWide ? 16 : 8;
    std::string out;
    for (std::size_t first = 0; first < row.cells.size(); first += per_line) {
        std::string cells;
        std::size_t end = std::min(first + per_line, row.cells.size());
        for (std::size_t i = first; i < end; ++i)
            cells += (i == first ? "" : i - first == 8 ? "  " : " ") + row.cells[i];
        if (first) out += "\n";
        out += fmt::format("  {:#x}  {}  {}", row.address + first,
                           padded(cells, per_line * 3 + (per_line == 16 ? 1 : 0) - 1),
                           style.faint(std::string_view(row.text).substr(first, end - first)));
    }
    return out;
}

}  // namespace

std::string memory_text(const MemoryReport& report, const Style& style) {
    std::string out = heading_line(
        fmt::format("memory at {:#x} as {}", report.address, escape_for_display(report.form)),
        escape_for_display(report.region), style);
    std::size_t widest = 0;
    bool is_table = false;
    for (const MemoryRow& row : report.rows) is_table |= row.cells.size() > 1;
    for (const MemoryRow& row : report.rows)
        for (const std::string& cell : row.cells) widest = std::max(widest, display_width(cell));
    for (const MemoryRow& row : report.rows) {
        if (row.is_unreadable) {
            out += fmt::format("  {:#x}  ", row.address) +
                   style.warning(fmt::format("{} cannot be read", counted(row.size, "byte"))) +
                   "\n";
            continue;
        }
        if (report.form == "bytes") {
            out += text_of_bytes(row, style);
        } else {
            std::string cells;
            for (const std::string& cell : row.cells)
                cells +=
                    (cells.empty() ? "" : "  ") +
                    std::string(widest - std::min(widest, is_table ? display_width(cell) : widest),
                                ' ') +
                    cell;
            out += fmt::format("  {:#x}  {}", row.address, escape_for_display(cells));
        }
        if (!row.note.empty()) out += "  " + style.faint(escape_for_display(row.note));
        out += "\n";
        if (row.repeats > 1)
            out += style.faint(fmt::format(
                       "    the same {} more, up to {:#x}",
                       row.repeats == 2 ? "once"
                                        : fmt::format("{} times", with_thousands(row.repeats - 1)),
                       row.address + row.repeats * row.size)) +
                   "\n";
    }
    if (report.unreadable && report.rows.size() > 1)
        out += style.faint(
                   fmt::format("  {} of it cannot be read", counted(report.unreadable, "byte"))) +
               "\n";
    return out;
}

std::string memory_find_text(const MemoryFindReport& report, const Style& style) {
    std::string out = heading_line(
        fmt::format("{} in {}", escape_for_display(report.what), escape_for_display(report.within)),
        fmt::format("{} in {} KB", counted(report.total, "find"),
                    with_thousands(report.searched / 1024)),
        style);
    for (const FoundMemory& found : report.found)
        out += fmt::format("  {:#x}  {}  {}\n", found.address, found.text,
                           style.faint(escape_for_display(found.note)));
    if (report.total > report.found.size())
        out += style.faint(fmt::format("  … {} more; limit N shows them",
                                       with_thousands(report.total - report.found.size()))) +
               "\n";
    if (!report.total) out += "  it is not there\n";
    if (report.unreadable)
        out += style.faint(fmt::format("  {} KB could not be read",
                                       with_thousands(report.unreadable / 1024))) +
               "\n";
    return out;
}

std::string memory_compare_text(const MemoryCompareReport& report, const Style& style) {
    std::string out = heading_line(
        fmt::format("memory since {} was kept", escape_for_display(report.name)),
        report.changed ? fmt::format("{} of {} changed", with_thousands(report.changed),
                                     counted(report.size, "byte"))
                       : "nothing changed",
        style);
    for (const MemoryChange& change : report.changes) {
        const char* more = change.size > change.before.size() ? " …" : "";
        out += fmt::format("  {:#x}  {:<9} {}\n", change.address, counted(change.size, "byte"),
                           style.faint(escape_for_display(change.note)));
        out += fmt::format("      {}{}\n    → {}\n", hex_bytes(change.before), more,
                           style.changed(hex_bytes(change.after) + more));
    }
    if (report.unreadable)
        out += style.faint(
                   fmt::format("  {} can be read no more", counted(report.unreadable, "byte"))) +
               "\n";
    return out;
}

std::string words_text(const WordsReport& report, const Style& style) {
    std::string out;
    for (const StackFrameWords& frame : report.frames) {
        out += heading_line(
            fmt::format("words of frame {}, {}", frame.level, name_text(frame.function)),
            fmt::format("{} bytes", frame.end - frame.stack_pointer), style);
        std::size_t names = 8;
        for (const StackWord& word : frame.words)
            names = std::max(
                names,
                std::min<std::size_t>(
                    display_width(word.name.empty() ? std::string(word_of(word.kind)) : word.name),
                    34));
        const StackWord* before = nullptr;
        std::size_t same = 0;
        for (std::size_t i = 0; i < frame.words.size(); ++i) {
            const StackWord& word = frame.words[i];
            // Words that hold nothing, of one variable or of nobody, are counted.
            auto root = [](const StackWord& each) {
                return each.name.substr(0, each.name.find_first_of(".[ "));
            };
            bool is_plain = word.kind == WordKind::nameless || word.kind == WordKind::variable ||
                            word.kind == WordKind::argument;
            bool repeats = before && is_plain && before->kind == word.kind &&
                           before->value == word.value && root(*before) == root(word) &&
                           word.warning.empty() && i + 1 < frame.words.size();
            if (repeats) {
                ++same;
                continue;
            }
            if (same)
                out += style.faint(fmt::format(
                           "    the same {}",
                           same == 1 ? "once more" : fmt::format("{} times more", same))) +
                       "\n";
            same = 0;
            before = &word;
            std::string name = word.name.empty() ? std::string(word_of(word.kind)) : word.name;
            name = padded(cut(escape_for_display(name), 34), names);
            bool is_named = word.kind != WordKind::nameless && word.kind != WordKind::leftover &&
                            word.kind != WordKind::unreadable;
            std::string value = word.kind == WordKind::unreadable
                                    ? "cannot be read    "
                                    : fmt::format("{:#018x}", word.value);
            std::string left = fmt::format("{:#x}  {:>6}  {}  ", word.address,
                                           from_end_text(word.from_end), value);
            std::size_t room = std::max<std::size_t>(style.width, 100) -
                               std::min<std::size_t>(display_width(left) + names + 4, 80);
            out += fmt::format(" {}{}{}  {}\n", word.address == frame.stack_pointer ? "◆" : " ",
                               left, is_named ? name : style.faint(name),
                               style.faint(cut(escape_for_display(word.content), room)));
            if (!word.warning.empty())
                out += "           " + style.warning("damaged") + "  " +
                       escape_for_display(word.warning) + "\n";
        }
        for (const std::string& check : frame.checks)
            out += style.faint(" checked   " + escape_for_display(check)) + "\n";
    }
    for (const std::string& each : report.damage)
        out += style.warning(" damage    ") + escape_for_display(each) + "\n";
    if (report.is_cut)
        out +=
            style.faint("  a frame is too large to be shown whole; memory shows any part of it") +
            "\n";
    return out;
}

}  // namespace lantern::cli
