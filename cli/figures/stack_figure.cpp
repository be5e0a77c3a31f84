// The stack as it lies: callers above, the innermost call below; each frame's height by its size.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cli/figures/pen.h"
#include "cli/figures/process_figures.h"
#include "cli/views/text.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr double kStackSide = 30, kStackTop = 84, kStackWidth = 300, kStackWide = 900,
                 kStackLetters = 12, kStackLeastHeight = 24, kStackMostHeight = 150,
                 kStackFold = 40;
constexpr std::size_t kStackMostRows = 40;
constexpr Colour kStackFrameFill{0.80, 0.85, 0.93}, kStackSelectedFill{0.97, 0.91, 0.62},
    kStackManyFill{0.93, 0.80, 0.66}, kStackInlinedFill{0.95, 0.96, 0.97};

// Logarithmic: the largest frame is often a thousand times the smallest.
double height_of(const StackDrawing::Row& row) {
    double bytes = static_cast<double>(row.bytes);
    return std::clamp(kStackLeastHeight + 14 * std::log2(1 + bytes / 64), kStackLeastHeight,
                      kStackMostHeight);
}

struct Drawn {
    const StackDrawing::Row* row = nullptr;  // null: the fold
    double y = 0, height = 0;
};

// The innermost and the outermost ones; how many are folded between them.
std::vector<Drawn> drawn_rows(const StackDrawing& drawing, std::size_t& folded) {
    std::vector<Drawn> rows;
    std::size_t count = drawing.rows.size();
    folded = count > kStackMostRows ? count - kStackMostRows : 0;
    for (std::size_t i = count; i-- > 0;) {
        bool is_folded = folded && i >= kStackMostRows / 2 && i < kStackMostRows / 2 + folded;
        if (is_folded && i != kStackMostRows / 2) continue;
        rows.push_back(is_folded ? Drawn{} : Drawn{&drawing.rows[i]});
    }
    double y = kStackTop;
    for (Drawn& each : rows) {
        each.y = y;
        each.height = each.row ? height_of(*each.row) : kStackFold;
        y += each.height;
    }
    return rows;
}

void draw_row(Pen& pen, const StackDrawing::Row& row, double y, double height) {
    const Colour& fill = row.is_selected                  ? kStackSelectedFill
                         : row.repeats > 1                ? kStackManyFill
                         : row.is_inlined || row.has_left ? kStackInlinedFill
                                                          : kStackFrameFill;
    pen.box(kStackSide, y, kStackWidth, height, fill);
    std::string bytes = row.has_left     ? "left by a jump: nothing of it is here"
                        : row.is_inlined ? "inlined: no frame of its own"
                                         : fmt::format("{} bytes", with_thousands(row.bytes));
    if (row.repeats > 1)
        bytes = fmt::format("{} × the same call, {}", with_thousands(row.repeats), bytes);
    pen.text(kStackSide + 12, y + height / 2 + 4,
             pen.fitted(bytes, kStackWidth - 24, kStackLetters), kStackLetters, kInk);
    double x = kStackSide + kStackWidth + 14;
    std::string words = fmt::format("{}  {}", row.level, name_text(row.function));
    pen.text(x, y + height / 2 + 4, pen.fitted(words, 300, kStackLetters), kStackLetters, kInk);
    if (row.line)
        pen.text(x + 320, y + height / 2 + 4,
                 pen.fitted(place_text(short_file(row.file), row.line),
                            kStackWide - x - 320 - kStackSide, kStackLetters),
                 kStackLetters, kFaint);
    if (row.is_selected) pen.text(kStackSide - 18, y + height / 2 + 4, "◆", kStackLetters, kAlarm);
}

}  // namespace

void draw_stack(const StackDrawing& drawing, const std::filesystem::path& file) {
    std::size_t folded = 0;
    std::vector<Drawn> rows = drawn_rows(drawing, folded);
    double bottom = rows.empty() ? kStackTop : rows.back().y + rows.back().height;
    write_figure(file, kStackWide, bottom + 44, drawing.caption, [&](Pen& pen) {
        pen.strong_text(kStackSide, 38,
                        drawing.thread > 1 ? fmt::format("the stack of thread {}", drawing.thread)
                                           : "the stack",
                        17, kInk);
        std::string room = drawing.room ? fmt::format("; {} bytes are mapped below it",
                                                      with_thousands(drawing.room))
                                        : "";
        pen.text(kStackSide, 58,
                 fmt::format("{} bytes in frames{}{}; heights grow with the logarithm of the size",
                             with_thousands(drawing.bytes),
                             drawing.is_cut ? " of the calls that were walked" : "", room),
                 11, kFaint);
        pen.text(kStackSide, kStackTop - 8, "higher addresses: the callers", 10.5, kFaint);
        for (const Drawn& each : rows) {
            if (each.row) {
                draw_row(pen, *each.row, each.y, each.height);
            } else {
                pen.frame(kStackSide, each.y, kStackWidth, each.height, true);
                pen.text(kStackSide + 12, each.y + 24,
                         fmt::format("… {} more rows", with_thousands(folded)), kStackLetters,
                         kFaint);
            }
        }
        pen.text(kStackSide, bottom + 18, "▲ the stack pointer: the innermost call", 10.5, kFaint);
    });
}

}  // namespace lantern::cli
