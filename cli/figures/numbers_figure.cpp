#include "cli/figures/numbers_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cli/figures/axis.h"
#include "cli/figures/pen.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr double kNumbersWide = 1100, kNumbersLeft = 96, kNumbersRight = 30, kNumbersTop = 92,
                 kNumbersLineHeight = 420, kNumbersSmall = 12;
constexpr Colour kNumbersStroke = kSeries[0], kNumbersNoNumber{0.84, 0.37, 0.00},
                 kNumbersFilled{0.80, 0.47, 0.65};

std::string summary_of(const NumbersReport& report) {
    std::string out =
        report.is_field()
            ? fmt::format("{} rows of {} {}", with_thousands(report.extent[0]),
                          with_thousands(report.extent[1]), report.element)
            : fmt::format("{} {}", with_thousands(report.values.size()), report.element);
    if (report.every > 1) out += fmt::format(", one of {}", report.every);
    auto format = [&](double value) {
        return report.is_whole ? fmt::format("{:.0f}", value) : fmt::format("{:g}", value);
    };
    if (report.sound)
        out += fmt::format("; from {} to {}", format(report.low), format(report.high));
    if (report.not_numbers)
        out += fmt::format("; {} not a number", with_thousands(report.not_numbers));
    if (report.infinite) out += fmt::format("; {} infinite", with_thousands(report.infinite));
    if (report.filled) out += fmt::format("; {} {}", with_thousands(report.filled), report.fill);
    if (report.left_out)
        out += fmt::format("; {} more{} left out", with_thousands(report.left_out),
                           report.is_field() ? " rows" : "");
    return out;
}

const Colour& colour_of(NumberMark mark) {
    return mark == NumberMark::filled    ? kNumbersFilled
           : mark == NumberMark::missing ? kGridLine
                                         : kNumbersNoNumber;
}

const char* words_of(NumberMark mark) {
    switch (mark) {
        case NumberMark::not_a_number: return "not a number";
        case NumberMark::infinite: return "infinite";
        case NumberMark::filled: return "a fill pattern";
        case NumberMark::missing: return "nothing there";
        case NumberMark::sound: break;
    }
    return "";
}

void draw_heading(Pen& pen, const NumbersReport& report, double width) {
    pen.strong_text(kNumbersLeft, 38,
                    pen.fitted(report.expression, width - kNumbersLeft - kNumbersRight, 17), 17,
                    kInk);
    pen.text(kNumbersLeft, 60,
             pen.fitted(summary_of(report), width - kNumbersLeft - kNumbersRight, 11), 11, kFaint);
}

// A cross: seen also where colours are not.
void draw_cross(Pen& pen, double x, double y, double half, const Colour& colour) {
    pen.line({{x - half, y - half}, {x + half, y + half}}, 1.3, colour);
    pen.line({{x - half, y + half}, {x + half, y - half}}, 1.3, colour);
}

// ---- a row of numbers

class LinePicture {
  public:
    explicit LinePicture(const NumbersReport& report) : report_(report) {
        std::size_t count = report.values.size();
        across_ = axis_along(index_of(0), index_of(count ? count - 1 : 0), 8);
        up_ = report.sound ? axis_around(report.low, report.high, 8) : axis_around(0, 1, 2);
    }

    double height() const { return kNumbersTop + kNumbersLineHeight + 60 + (has_marks() ? 22 : 0); }

    void draw(Pen& pen) const {
        draw_heading(pen, report_, kNumbersWide);
        double bottom = kNumbersTop + kNumbersLineHeight;
        for (double tick : up_.ticks) {
            pen.line({{kNumbersLeft, y_of(tick)}, {kNumbersWide - kNumbersRight, y_of(tick)}}, 1,
                     kGridLine);
            pen.text_to(kNumbersLeft - 10, y_of(tick) + 4, up_.text_of(tick), kNumbersSmall,
                        kFaint);
        }
        pen.line({{kNumbersLeft, kNumbersTop}, {kNumbersLeft, bottom}}, 1, kFaint);
        pen.line({{kNumbersLeft, bottom}, {kNumbersWide - kNumbersRight, bottom}}, 1, kFaint);
        for (double tick : across_.ticks) {
            if (across_.step < 1 && tick != std::floor(tick)) continue;
            pen.line({{x_of(tick), bottom}, {x_of(tick), bottom + 5}}, 1, kFaint);
            pen.text_around(x_of(tick), bottom + 20, across_.text_of(tick), kNumbersSmall, kFaint);
        }
        pen.text_to(kNumbersWide - kNumbersRight, bottom + 38, "index", kNumbersSmall, kFaint);
        draw_values(pen);
        if (has_marks()) draw_key(pen, bottom + 60);
    }

  private:
    bool has_marks() const { return report_.sound != report_.values.size(); }
    double index_of(std::size_t i) const {
        return static_cast<double>(report_.first) + static_cast<double>(i * report_.every);
    }
    double x_of(double index) const {
        return kNumbersLeft +
               across_.share_of(index) * (kNumbersWide - kNumbersLeft - kNumbersRight);
    }
    double y_of(double value) const {
        return kNumbersTop + kNumbersLineHeight - up_.share_of(value) * kNumbersLineHeight;
    }

    // Where many share a column of points, the column goes from the least to the most of them.
    void draw_values(Pen& pen) const {
        std::size_t count = report_.values.size();
        std::size_t together = std::max<std::size_t>(1, count / 1900);
        std::vector<Point> run;
        auto end_run = [&] {
            if (run.size() > 1) pen.line(run, 1.8, kNumbersStroke);
            if (run.size() == 1) pen.fill(run[0].x - 2.5, run[0].y - 2.5, 5, 5, kNumbersStroke);
            run.clear();
        };
        for (std::size_t i = 0; i < count; i += together) {
            double low = 0, high = 0;
            bool has_value = false;
            std::optional<NumberMark> mark;
            for (std::size_t j = i; j < std::min(count, i + together); ++j) {
                if (report_.marks[j] != NumberMark::sound) {
                    if (!mark) mark = report_.marks[j];
                    continue;
                }
                low = has_value ? std::min(low, report_.values[j]) : report_.values[j];
                high = has_value ? std::max(high, report_.values[j]) : report_.values[j];
                has_value = true;
            }
            double x = x_of(index_of(i));
            if (mark) draw_mark(pen, x, *mark);
            if (!has_value) {
                end_run();
                continue;
            }
            if (mark && together == 1) end_run();
            run.push_back({x, y_of(high)});
            if (low != high) run.push_back({x, y_of(low)});
            if (count <= 80) pen.fill(x - 2.6, y_of(high) - 2.6, 5.2, 5.2, kNumbersStroke);
        }
        end_run();
    }

    static void draw_mark(Pen& pen, double x, NumberMark mark) {
        if (mark == NumberMark::missing) return;
        double y = kNumbersTop + kNumbersLineHeight - 8;
        if (mark == NumberMark::filled)
            pen.fill(x - 1.5, kNumbersTop, 3, kNumbersLineHeight, kGridLine);
        draw_cross(pen, x, y, 4, colour_of(mark));
    }

    void draw_key(Pen& pen, double y) const {
        double x = kNumbersLeft;
        for (auto [mark, number] : {std::pair{NumberMark::not_a_number, report_.not_numbers},
                                    std::pair{NumberMark::infinite, report_.infinite},
                                    std::pair{NumberMark::filled, report_.filled}}) {
            if (!number) continue;
            draw_cross(pen, x + 6, y - 4, 4, colour_of(mark));
            pen.text(x + 18, y, words_of(mark), kNumbersSmall, kInk);
            x += 42 + pen.width_of(words_of(mark), kNumbersSmall);
        }
    }

    const NumbersReport& report_;
    Axis across_, up_;
};

// ---- a histogram

void draw_bins(Pen& pen, const NumbersReport& report) {
    draw_heading(pen, report, kNumbersWide);
    std::uint64_t most = 1;
    for (const auto& bin : report.bins) most = std::max(most, bin.count);
    Axis up = axis_around(0, static_cast<double>(most), 8);
    double bottom = kNumbersTop + kNumbersLineHeight;
    for (double tick : up.ticks) {
        if (tick != std::floor(tick)) continue;
        double y = bottom - up.share_of(tick) * kNumbersLineHeight;
        pen.line({{kNumbersLeft, y}, {kNumbersWide - kNumbersRight, y}}, 1, kGridLine);
        pen.text_to(kNumbersLeft - 10, y + 4, up.text_of(tick), kNumbersSmall, kFaint);
    }
    double width =
        (kNumbersWide - kNumbersLeft - kNumbersRight) / static_cast<double>(report.bins.size());
    std::size_t every = report.bins.size() / 12 + 1;
    for (std::size_t i = 0; i < report.bins.size(); ++i) {
        const auto& bin = report.bins[i];
        double x = kNumbersLeft + static_cast<double>(i) * width,
               height = up.share_of(static_cast<double>(bin.count)) * kNumbersLineHeight;
        if (bin.count) pen.box(x + 1, bottom - height, width - 2, height, kNumbersStroke);
        if (i % every == 0)
            pen.text(
                x + 2, bottom + 20,
                report.is_whole ? fmt::format("{:.0f}", bin.from) : fmt::format("{:.4g}", bin.from),
                kNumbersSmall, kFaint);
    }
    pen.line({{kNumbersLeft, bottom}, {kNumbersWide - kNumbersRight, bottom}}, 1, kFaint);
    pen.text_to(kNumbersWide - kNumbersRight, bottom + 40,
                "each bar from its number on; how many upwards", kNumbersSmall, kFaint);
}

// ---- a field

// From light to dark over one hue: read the same in grey.
Colour tone(double share) {
    constexpr Colour kLow{0.93, 0.96, 0.98}, kHigh{0.05, 0.22, 0.42};
    auto part = [&](double low, double high) { return low + (high - low) * share; };
    return {part(kLow.red, kHigh.red), part(kLow.green, kHigh.green), part(kLow.blue, kHigh.blue)};
}

class FieldPicture {
  public:
    explicit FieldPicture(const NumbersReport& report)
        : report_(report),
          rows_(report.extent[0]),
          columns_(report.extent[1]),
          together_(
              std::max<std::size_t>(1, (std::max(rows_, columns_) + kMostCells - 1) / kMostCells)) {
        shown_rows_ = (rows_ + together_ - 1) / together_;
        shown_columns_ = (columns_ + together_ - 1) / together_;
        cell_ = std::clamp(
            900.0 / static_cast<double>(std::max(shown_columns_, shown_rows_ * 3 / 2)), 3.0, 64.0);
    }
    double width() const {
        return std::max(560.0, kNumbersLeft + cell_ * static_cast<double>(shown_columns_) + 150);
    }
    double height() const {
        return std::max(kNumbersTop + 40 + cell_ * static_cast<double>(shown_rows_) + 30,
                        kNumbersTop + 300.0);
    }

    void draw(Pen& pen) const {
        draw_heading(pen, report_, width());
        double top = kNumbersTop + 20;
        for (std::size_t row = 0; row < shown_rows_; ++row)
            for (std::size_t column = 0; column < shown_columns_; ++column)
                draw_cell(pen, row, column, top);
        std::size_t every_column = step_for(shown_columns_, 52),
                    every_row = step_for(shown_rows_, 16);
        for (std::size_t column = 0; column < shown_columns_; column += every_column)
            pen.text(kNumbersLeft + static_cast<double>(column) * cell_ + 2, top - 7,
                     fmt::format("{}", column * together_), 10.5, kFaint);
        for (std::size_t row = 0; row < shown_rows_; row += every_row)
            pen.text_to(
                kNumbersLeft - 8,
                top + static_cast<double>(row) * cell_ + std::min(cell_, 16.0) - 2,
                fmt::format("{}", report_.first + static_cast<std::int64_t>(row * together_)), 10.5,
                kFaint);
        if (together_ > 1)
            pen.text(kNumbersLeft, top + cell_ * static_cast<double>(shown_rows_) + 20,
                     fmt::format("each cell is the mean of {0} × {0} numbers, or marked where one "
                                 "of them is none",
                                 together_),
                     10.5, kFaint);
        draw_scale(pen, top);
    }

  private:
    static constexpr std::size_t kMostCells = 220;

    std::size_t step_for(std::size_t count, double room) const {
        std::size_t step = 1;
        while (static_cast<double>(step) * cell_ < room && step < count) step *= step == 2 ? 5 : 2;
        return step;
    }

    double share_of(double value) const {
        return report_.high > report_.low ? (value - report_.low) / (report_.high - report_.low)
                                          : 0.5;
    }

    void draw_cell(Pen& pen, std::size_t row, std::size_t column, double top) const {
        double x = kNumbersLeft + static_cast<double>(column) * cell_,
               y = top + static_cast<double>(row) * cell_;
        auto [mark, value] = cell_of(report_, row, column, together_);
        if (mark == NumberMark::sound) {
            double share = share_of(value);
            pen.fill(x, y, cell_ + 0.3, cell_ + 0.3, tone(share));
            std::string words =
                report_.is_whole ? fmt::format("{:.0f}", value) : fmt::format("{:.3g}", value);
            if (pen.width_of(words, 10.5) + 4 <= cell_)
                pen.text_around(x + cell_ / 2, y + cell_ / 2 + 4, words, 10.5,
                                share > 0.5 ? kPaper : kInk);
            return;
        }
        pen.fill(x, y, cell_ + 0.3, cell_ + 0.3, kPaper);
        if (mark != NumberMark::missing)
            draw_cross(pen, x + cell_ / 2, y + cell_ / 2, std::clamp(cell_ / 3, 2.0, 6.0),
                       colour_of(mark));
    }

    void draw_scale(Pen& pen, double top) const {
        constexpr double kHigh = 180, kThin = 18;
        double x = kNumbersLeft + cell_ * static_cast<double>(shown_columns_) + 24;
        for (int i = 0; i < 36; ++i)
            pen.fill(x, top + kHigh - (i + 1) * kHigh / 36, kThin, kHigh / 36 + 0.4,
                     tone(i / 35.0));
        auto format = [&](double value) {
            return report_.is_whole ? fmt::format("{:.0f}", value) : fmt::format("{:.4g}", value);
        };
        pen.text(x + kThin + 8, top + 10, format(report_.high), 11, kInk);
        pen.text(x + kThin + 8, top + kHigh, format(report_.low), 11, kInk);
        double y = top + kHigh + 28;
        for (auto [mark, number] : {std::pair{NumberMark::not_a_number, report_.not_numbers},
                                    std::pair{NumberMark::infinite, report_.infinite},
                                    std::pair{NumberMark::filled, report_.filled}}) {
            if (!number) continue;
            draw_cross(pen, x + 8, y - 4, 5, colour_of(mark));
            pen.text(x + 20, y, words_of(mark), 10.5, kInk);
            y += 20;
        }
    }

    const NumbersReport& report_;
    std::size_t rows_, columns_, together_, shown_rows_ = 0, shown_columns_ = 0;
    double cell_ = 10;
};

}  // namespace

void draw_numbers(const NumbersReport& report, const std::filesystem::path& file) {
    if (!report.bins.empty())
        return write_figure(file, kNumbersWide, kNumbersTop + kNumbersLineHeight + 60,
                            report.caption, [&](Pen& pen) { draw_bins(pen, report); });
    if (report.is_field()) {
        FieldPicture picture(report);
        return write_figure(file, picture.width(), picture.height(), report.caption,
                            [&](Pen& pen) { picture.draw(pen); });
    }
    LinePicture picture(report);
    write_figure(file, kNumbersWide, picture.height(), report.caption,
                 [&](Pen& pen) { picture.draw(pen); });
}

}  // namespace lantern::cli
