#include "cli/words_figure.h"

#include <cairo-svg.h>
#include <cairo.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <memory>
#include <string>
#include <vector>

#include "cli/saved_file.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr double kWordHeight = 26, kFrameWidth = 600, kGap = 40, kTop = 92, kBottom = 74,
                 kSide = 30, kOffsets = 66, kBox = 200;
constexpr std::size_t kMostFrames = 4, kMostRows = 64;

struct Colour {
    double red, green, blue;
};
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
constexpr Colour kDamaged{0.93, 0.58, 0.54}, kInk{0.13, 0.16, 0.20}, kFaint{0.42, 0.45, 0.50};

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
    Picture(const WordsReport& report, cairo_t* pen) : report_(report), pen_(pen) {}

    void draw(double width, double height) {
        colour({1, 1, 1});
        cairo_paint(pen_);
        double left = kSide;
        for (std::size_t i = 0; i < std::min(report_.frames.size(), kMostFrames);
             ++i, left += kFrameWidth + kGap)
            draw_frame(report_.frames[i], left);
        draw_legend(height - kBottom + 30, width);
    }

  private:
    void colour(const Colour& c) { cairo_set_source_rgb(pen_, c.red, c.green, c.blue); }

    void text(double x, double y, const std::string& words, double size, const Colour& c,
              bool strong = false) {
        cairo_select_font_face(pen_, "DejaVu Sans Mono", CAIRO_FONT_SLANT_NORMAL,
                               strong ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
        cairo_set_font_size(pen_, size);
        colour(c);
        cairo_move_to(pen_, x, y);
        cairo_show_text(pen_, words.c_str());
    }

    double width_of(const std::string& words, double size) {
        cairo_select_font_face(pen_, "DejaVu Sans Mono", CAIRO_FONT_SLANT_NORMAL,
                               CAIRO_FONT_WEIGHT_NORMAL);
        cairo_set_font_size(pen_, size);
        cairo_text_extents_t extents;
        cairo_text_extents(pen_, words.c_str(), &extents);
        return extents.x_advance;
    }

    std::string fitted(std::string words, double room, double size) {
        if (width_of(words, size) <= room) return words;
        while (!words.empty() && width_of(words + "…", size) > room) {
            do words.pop_back();
            while (!words.empty() && (static_cast<unsigned char>(words.back()) & 0xc0) == 0x80);
            if (!words.empty() && static_cast<unsigned char>(words.back()) >= 0xc0)
                words.pop_back();
        }
        return words + "…";
    }

    void draw_frame(const StackFrameWords& frame, double left) {
        text(left, 36,
             fitted(fmt::format("frame {}: {}", frame.level, escape_for_display(frame.function)),
                    kFrameWidth, 17),
             17, kInk, true);
        text(left, 57,
             fmt::format("{} bytes, from {:#x} up to {:#x}", frame.end - frame.stack_pointer,
                         frame.stack_pointer, frame.end),
             11, kFaint);
        text(left, kTop - 10, "from end", 10, kFaint);
        text(left + kOffsets, kTop - 10, "higher addresses: the caller's frame", 10, kFaint);
        double y = kTop;
        auto rows = rows_of(frame);
        std::size_t shown = std::min(rows.size(), kMostRows);
        for (std::size_t i = 0; i < shown; ++i) {
            draw_row(rows[i], left, y);
            if (rows[i].word->address == frame.stack_pointer ||
                (rows[i].count > 1 &&
                 rows[i].word->address - 8 * (rows[i].count - 1) == frame.stack_pointer)) {
                text(left + kOffsets + kBox + 8, y + height_of(rows[i]) + 12, "▲ stack pointer", 11,
                     kInk, true);
            }
            y += height_of(rows[i]);
        }
        colour(kInk);
        cairo_set_line_width(pen_, 1.6);
        cairo_rectangle(pen_, left + kOffsets, kTop, kBox, y - kTop);
        cairo_stroke(pen_);
        if (shown < rows.size())
            text(left + kOffsets, y + 16, fmt::format("… {} more words below", rows.size() - shown),
                 11, kFaint);
    }

    void draw_row(const Row& row, double left, double y) {
        const StackWord& word = *row.word;
        colour(fill_of(word));
        cairo_rectangle(pen_, left + kOffsets, y, kBox, height_of(row));
        cairo_fill_preserve(pen_);
        colour(kFaint);
        cairo_set_line_width(pen_, 0.6);
        cairo_stroke(pen_);
        std::string offset = word.from_end < 0 ? fmt::format("-{:#x}", -word.from_end)
                                               : fmt::format("+{:#x}", word.from_end);
        text(left + kOffsets - 8 - width_of(offset, 11), y + 17, offset, 11, kFaint);
        std::string name = word.name.empty() ? std::string(word_of(word.kind)) : word.name;
        if (row.count > 1)
            name = fmt::format("{} words of {:#x}{}", row.count, word.value,
                               row.count > kMostAlike ? ", drawn as 6" : "");
        text(left + kOffsets + 8, y + 17, fitted(escape_for_display(name), kBox - 16, 12), 12,
             word.name.empty() ? kFaint : kInk);
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
        text(left + kOffsets + kBox + 8, y + 17,
             fitted(escape_for_display(right), kFrameWidth - kOffsets - kBox - 10, 11), 11,
             word.warning.empty() ? kFaint : Colour{0.72, 0.15, 0.10});
    }

    void draw_legend(double y, double width) {
        double x = kSide;
        for (const Look& look : kLooks) {
            double room = 26 + width_of(look.meaning, 11) + 18;
            if (x + room > width - kSide) {
                x = kSide;
                y += 20;
            }
            colour(look.fill);
            cairo_rectangle(pen_, x, y - 11, 18, 13);
            cairo_fill_preserve(pen_);
            colour(kFaint);
            cairo_set_line_width(pen_, 0.6);
            cairo_stroke(pen_);
            text(x + 24, y, look.meaning, 11, kInk);
            x += room;
        }
    }

    const WordsReport& report_;
    cairo_t* pen_;
};

cairo_status_t append(void* closure, const unsigned char* bytes, unsigned size) {
    static_cast<std::string*>(closure)->append(reinterpret_cast<const char*>(bytes), size);
    return CAIRO_STATUS_SUCCESS;
}

}  // namespace

void draw_words(const WordsReport& report, const std::filesystem::path& file) {
    bool is_svg = file.extension() == ".svg";
    if (!is_svg && file.extension() != ".png")
        throw RequestError(fmt::format("{} has no ending that picks a form", file.string()),
                           "end it in .svg or .png");
    std::size_t frames = std::min(report.frames.size(), kMostFrames);
    double tallest = 4 * kWordHeight;
    for (std::size_t i = 0; i < frames; ++i)
        tallest = std::max(tallest, height_of(report.frames[i]));
    double width = 2 * kSide + static_cast<double>(frames) * kFrameWidth +
                   static_cast<double>(frames - 1) * kGap;
    double height = kTop + tallest + kBottom + (frames == 1 ? 20 : 0);
    std::string content;
    cairo_surface_t* surface =
        is_svg ? cairo_svg_surface_create_for_stream(append, &content, width, height)
               : cairo_image_surface_create(CAIRO_FORMAT_RGB24, static_cast<int>(width),
                                            static_cast<int>(height));
    cairo_t* pen = cairo_create(surface);
    Picture(report, pen).draw(width, height);
    cairo_destroy(pen);
    cairo_status_t status = cairo_surface_status(surface);
    if (!is_svg && status == CAIRO_STATUS_SUCCESS)
        status = cairo_surface_write_to_png_stream(surface, append, &content);
    cairo_surface_finish(surface);
    cairo_surface_destroy(surface);
    if (status != CAIRO_STATUS_SUCCESS)
        throw FileError(
            fmt::format("{} cannot be drawn: {}", file.string(), cairo_status_to_string(status)));
    write_whole_file(file, content);
}

}  // namespace lantern::cli
