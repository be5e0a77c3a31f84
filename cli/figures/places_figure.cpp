#include "cli/figures/places_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cli/figures/axis.h"
#include "cli/figures/pen.h"
#include "core/support/error.h"

namespace lantern::cli {
namespace {

constexpr double kTimeWidth = 1280, kTimeLeft = 110, kTimeRight = 40, kTimeTop = 96,
                 kTimeBase = 440, kTimeLetters = 12, kLegendStep = 22;
constexpr std::size_t kMostBands = 10;
constexpr Colour kBands[kMostBands] = {{0.36, 0.55, 0.75}, {0.93, 0.70, 0.36}, {0.50, 0.70, 0.47},
                                       {0.80, 0.47, 0.44}, {0.62, 0.53, 0.75}, {0.55, 0.44, 0.36},
                                       {0.87, 0.62, 0.76}, {0.35, 0.66, 0.66}, {0.72, 0.72, 0.35},
                                       {0.45, 0.45, 0.60}};
constexpr Colour kOtherPlaces{0.83, 0.84, 0.86}, kPeakColour{0.75, 0.20, 0.15},
    kGrid{0.90, 0.91, 0.92};

// "24 kB": at most four digits before the unit.
std::string short_bytes(double bytes) {
    const char* units[] = {"bytes", "kB", "MB", "GB", "TB"};
    std::size_t unit = 0;
    while (bytes >= 10'000 && unit + 1 < std::size(units)) {
        bytes /= 1000;
        ++unit;
    }
    return fmt::format("{:.0f} {}", bytes, units[unit]);
}

class PlacesPicture {
  public:
    explicit PlacesPicture(const HeapPlacesReport& report)
        : report_(report), bands_(std::min(report.rows.size(), kMostBands)) {
        for (const HeapMoment& when : report.over_time) {
            most_ = std::max(most_, static_cast<double>(when.total));
            if (!peak_ || when.total > peak_->total) peak_ = &when;
        }
        most_ *= 1.08;
        begin_ = report.over_time.front().seconds;
        end_ = std::max(report.over_time.back().seconds, begin_ + 1e-6);
        end_ += (end_ - begin_) / static_cast<double>(report.over_time.size());  // the last one's
    }

    double height() const {
        double rows = static_cast<double>(bands_ + (report_.total > bands_ ? 1 : 0));
        return kTimeBase + 96 + rows * kLegendStep;
    }

    void draw(Pen& pen) const {
        pen.strong_text(kTimeLeft, 40, "what lived on the heap, by where it was born", 18, kInk);
        pen.text(kTimeLeft, 62,
                 fmt::format("{} births; at most {} bytes at a time",
                             with_thousands(report_.births), with_thousands(report_.peak_bytes)),
                 kTimeLetters, kFaint);
        draw_grid(pen);
        for (std::size_t i = 0; i < report_.over_time.size(); ++i) draw_moment(pen, i);
        draw_peak(pen);
        draw_legend(pen);
    }

  private:
    double x_of(double seconds) const {
        return kTimeLeft +
               (seconds - begin_) / (end_ - begin_) * (kTimeWidth - kTimeLeft - kTimeRight);
    }
    double y_of(double bytes) const { return kTimeBase - bytes / most_ * (kTimeBase - kTimeTop); }

    void draw_grid(Pen& pen) const {
        for (double bytes : axis_along(0, most_, 5).ticks) {
            pen.fill(kTimeLeft, y_of(bytes) - 0.5, kTimeWidth - kTimeLeft - kTimeRight, 1, kGrid);
            pen.text_to(kTimeLeft - 10, y_of(bytes) + 4, short_bytes(bytes), kTimeLetters, kFaint);
        }
        for (double at : axis_along(begin_, end_, 8).ticks)
            pen.text(x_of(at), kTimeBase + 20, fmt::format("{:g} s", std::round(at * 1e6) / 1e6),
                     kTimeLetters, kFaint);
    }

    void draw_moment(Pen& pen, std::size_t i) const {
        const HeapMoment& when = report_.over_time[i];
        double x = x_of(when.seconds);
        double end =
            i + 1 < report_.over_time.size() ? x_of(report_.over_time[i + 1].seconds) : x_of(end_);
        double done = 0;
        auto band = [&](double bytes, const Colour& colour) {
            if (bytes <= 0) return;
            pen.fill(x, y_of(done + bytes), end - x + 0.3, y_of(done) - y_of(done + bytes), colour);
            done += bytes;
        };
        for (std::size_t row = 0; row < bands_; ++row)
            band(static_cast<double>(when.bytes[row]), kBands[row]);
        band(static_cast<double>(when.total) - done, kOtherPlaces);
    }

    void draw_peak(Pen& pen) const {
        double x = x_of(peak_->seconds), y = y_of(static_cast<double>(peak_->total));
        pen.fill(x - 0.75, y - 14, 1.5, kTimeBase - y + 14, kPeakColour);
        std::string words = fmt::format("peak at {:.3f} s", peak_->seconds);
        double room = kTimeWidth - kTimeRight - x - 8, width = pen.width_of(words, kTimeLetters);
        pen.text(room > width ? x + 6 : x - 6 - width, y - 6, words, kTimeLetters, kPeakColour);
    }

    void draw_legend(Pen& pen) const {
        double y = kTimeBase + 56;
        pen.text(kTimeLeft + 26, y, "born in", kTimeLetters, kFaint);
        right_of(pen, kTimeWidth - kTimeRight - 195, y, "bytes at the peak", kFaint);
        right_of(pen, kTimeWidth - kTimeRight - 12, y, "bytes now", kFaint);
        for (std::size_t i = 0; i < bands_; ++i) {
            const HeapPlaceRow& row = report_.rows[i];
            y += kLegendStep;
            pen.box(kTimeLeft, y - 11, 16, 12, kBands[i]);
            pen.text(kTimeLeft + 26, y,
                     pen.fitted(escape_for_display(row.place), 620, kTimeLetters), kTimeLetters,
                     kInk);
            right_of(pen, kTimeWidth - kTimeRight - 195, y, with_thousands(row.at_peak));
            right_of(pen, kTimeWidth - kTimeRight - 12, y, with_thousands(row.now.bytes));
        }
        if (report_.total <= bands_) return;
        y += kLegendStep;
        pen.box(kTimeLeft, y - 11, 16, 12, kOtherPlaces);
        pen.text(kTimeLeft + 26, y, fmt::format("{} other places", report_.total - bands_),
                 kTimeLetters, kFaint);
    }

    static void right_of(Pen& pen, double x, double y, const std::string& words,
                         const Colour& colour = kInk) {
        pen.text(x - pen.width_of(words, kTimeLetters), y, words, kTimeLetters, colour);
    }

    const HeapPlacesReport& report_;
    const std::size_t bands_;
    double most_ = 1, begin_ = 0, end_ = 1;
    const HeapMoment* peak_ = nullptr;
};

}  // namespace

void draw_places(const HeapPlacesReport& report, const std::string& caption,
                 const std::filesystem::path& file) {
    if (report.over_time.empty())
        throw RequestError("too little was asked for to be drawn over time",
                           "heap places tells what lives now");
    PlacesPicture picture(report);
    write_figure(file, kTimeWidth, picture.height(), caption, [&](Pen& pen) { picture.draw(pen); });
}

}  // namespace lantern::cli
