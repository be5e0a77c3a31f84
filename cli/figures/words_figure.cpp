#include "cli/figures/words_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <string>
#include <vector>

#include "cli/figures/pen.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr double kWordHeight = 26, kFrameWidth = 600, kGap = 40, kTop = 92, kBottom = 74,
                 kSide = 30, kOffsets = 66, kBox = 200;
constexpr std::size_t kMostFrames = 4, kMostRows = 64;

struct Look {
    WordKind kind;
    Colour fill;
    const char* meaning;
};
constexpr Look kLooks[] = {
    {WordKind::return_address, {0.93, 0.80, 0.66}, "return address"},
    {WordKind::saved_register, {0.80, 0.85, 0.93}, "saved register"},
    {WordKind::variable, {0.80, 0.91, 0.80}, "variable"},
    {WordKind::argument, {0.88, 0.94, 0.76}, "parameter"},
    {WordKind::canary, {0.97, 0.91, 0.62}, "canary"},
    {WordKind::leftover, {0.90, 0.90, 0.90}, "left over"},
    {WordKind::spill, {0.86, 0.92, 0.92}, "kept without a name"},
    {WordKind::nameless, {0.97, 0.97, 0.97}, "nobody's"},
    {WordKind::red_zone, {0.95, 0.87, 0.91}, "below the stack pointer"},
    {WordKind::unreadable, {0.75, 0.75, 0.75}, "cannot be read"},
};
Colour fill_of(const StackWord& word) {
    if (!word.warning.empty()) return kDamaged;
    for (const Look& look : kLooks)
        if (look.kind == word.kind) return look.fill;
    return {1, 1, 1};
}

// A row of the picture: one word, or a run of nameless ones that are all alike.
struct Row {
    const StackWord* word = nullptr;
    std::size_t count = 1;
};

// From the highest address down, as a stack is drawn: the callers above, the stack pointer below.
std::vector<Row> rows_of(const StackFrameWords& frame) {
    std::vector<Row> rows;
    for (auto word = frame.words.rbegin(); word != frame.words.rend(); ++word) {
        bool is_alike = !rows.empty() && rows.back().word->kind == word->kind &&
                        word->kind == WordKind::nameless && rows.back().word->value == word->value;
        if (is_alike)
            ++rows.back().count;
        else
            rows.push_back({&*word, 1});
    }
    return rows;
}

// To scale, but for runs so long that they would fill the page: those say so.
constexpr std::size_t kMostAlike = 6;
double height_of(const Row& row) {
    return kWordHeight * static_cast<double>(std::min(row.count, kMostAlike));
}

double height_of(const StackFrameWords& frame) {
    double height = 0;
    auto rows = rows_of(frame);
    for (std::size_t i = 0; i < std::min(rows.size(), kMostRows); ++i) height += height_of(rows[i]);
    return height;
}

class Picture {
  public:
    Picture(const WordsReport& report, Pen& pen) : report_(report), pen_(pen) {}

    void draw(double width, double height) {
        double left = kSide;
        for (std::size_t i = 0; i < std::min(report_.frames.size(), kMostFrames);
             ++i, left += kFrameWidth + kGap)
            draw_frame(report_.frames[i], left);
        draw_legend(height - kBottom + 30, width);
    }

  private:
    void draw_frame(const StackFrameWords& frame, double left) {
        pen_.strong_text(left, 36,
                         pen_.fitted(fmt::format("frame {}: {}", frame.level,
                                                 escape_for_display(frame.function)),
                                     kFrameWidth, 17),
                         17, kInk);
        pen_.text(left, 57,
                  fmt::format("{} bytes, from {:#x} up to {:#x}", frame.end - frame.stack_pointer,
                              frame.stack_pointer, frame.end),
                  11, kFaint);
        pen_.text(left, kTop - 10, "from end", 10, kFaint);
        pen_.text(left + kOffsets, kTop - 10, "higher addresses: the caller's frame", 10, kFaint);
        double y = kTop;
        auto rows = rows_of(frame);
        std::size_t shown = std::min(rows.size(), kMostRows);
        for (std::size_t i = 0; i < shown; ++i) {
            draw_row(rows[i], left, y);
            if (rows[i].word->address == frame.stack_pointer ||
                (rows[i].count > 1 &&
                 rows[i].word->address - 8 * (rows[i].count - 1) == frame.stack_pointer)) {
                pen_.strong_text(left + kOffsets + kBox + 8, y + height_of(rows[i]) + 12,
                                 "▲ stack pointer", 11, kInk);
            }
            y += height_of(rows[i]);
        }
        pen_.frame(left + kOffsets, kTop, kBox, y - kTop);
        if (shown < rows.size())
            pen_.text(left + kOffsets, y + 16,
                      fmt::format("… {} more words below", rows.size() - shown), 11, kFaint);
    }

    void draw_row(const Row& row, double left, double y) {
        const StackWord& word = *row.word;
        pen_.box(left + kOffsets, y, kBox, height_of(row), fill_of(word));
        std::string offset = word.from_end < 0 ? fmt::format("-{:#x}", -word.from_end)
                                               : fmt::format("+{:#x}", word.from_end);
        pen_.text(left + kOffsets - 8 - pen_.width_of(offset, 11), y + 17, offset, 11, kFaint);
        std::string name = word.name.empty() ? std::string(word_of(word.kind)) : word.name;
        if (row.count > 1)
            name = fmt::format("{} words of {:#x}{}", row.count, word.value,
                               row.count > kMostAlike ? ", drawn as 6" : "");
        pen_.text(left + kOffsets + 8, y + 17, pen_.fitted(escape_for_display(name), kBox - 16, 12),
                  12, word.name.empty() ? kFaint : kInk);
        std::string content = word.warning.empty() ? word.content : word.warning;
        std::string value = word.kind == WordKind::unreadable || row.count > 1
                                ? ""
                                : fmt::format("{:#x}", word.value);
        bool says_it_all =
            word.warning.empty() && (word.kind == WordKind::variable ||
                                     word.kind == WordKind::argument || content.starts_with(value));
        std::string right = content.empty() ? value
                            : says_it_all   ? content
                                            : value + "  " + content;
        pen_.text(left + kOffsets + kBox + 8, y + 17,
                  pen_.fitted(escape_for_display(right), kFrameWidth - kOffsets - kBox - 10, 11),
                  11, word.warning.empty() ? kFaint : Colour{0.72, 0.15, 0.10});
    }

    bool occurs(WordKind kind) const {
        return std::ranges::any_of(report_.frames, [&](const StackFrameWords& frame) {
            return std::ranges::any_of(frame.words,
                                       [&](const StackWord& word) { return word.kind == kind; });
        });
    }

    void draw_legend(double y, double width) {
        double x = kSide;
        for (const Look& look : kLooks) {
            if (!occurs(look.kind)) continue;
            double room = 26 + pen_.width_of(look.meaning, 11) + 18;
            if (x + room > width - kSide) {
                x = kSide;
                y += 20;
            }
            pen_.box(x, y - 11, 18, 13, look.fill);
            pen_.text(x + 24, y, look.meaning, 11, kInk);
            x += room;
        }
    }

    const WordsReport& report_;
    Pen& pen_;
};

}  // namespace

void draw_words(const WordsReport& report, const std::string& caption,
                const std::filesystem::path& file) {
    std::size_t frames = std::min(report.frames.size(), kMostFrames);
    double tallest = 4 * kWordHeight;
    for (std::size_t i = 0; i < frames; ++i)
        tallest = std::max(tallest, height_of(report.frames[i]));
    double width = 2 * kSide + static_cast<double>(frames) * kFrameWidth +
                   static_cast<double>(frames - 1) * kGap;
    double height = kTop + tallest + kBottom + (frames == 1 ? 20 : 0);
    write_figure(file, width, height, caption,
                 [&](Pen& pen) { Picture(report, pen).draw(width, height); });
}

}  // namespace lantern::cli
