#include "cli/figures/plot_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "cli/figures/axis.h"
#include "cli/figures/pen.h"

namespace lantern::cli {
namespace {

constexpr double kPlotWidth = 1100, kPlotLeft = 96, kPlotRight = 30, kPlotTop = 84,
                 kPlotLetters = 12, kPlotOnePanel = 430, kPlotPanel = 210, kPlotPanelGap = 34,
                 kPlotBelowPanels = 52, kPlotKeyStep = 20;
constexpr std::size_t kPlotFewPoints = 60;  // each gets a mark
constexpr double kPlotFarApart = 25;        // sizes that do not share an axis

struct PlotSpan {
    double low = std::numeric_limits<double>::infinity(),
           high = -std::numeric_limits<double>::infinity();
    void add(double value) {
        low = std::min(low, value);
        high = std::max(high, value);
    }
};

double size_of(const PlotSeries& series) {
    double size = 0;
    for (const PlotPoint& point : series.points)
        if (point.y && std::isfinite(*point.y)) size = std::max(size, std::abs(*point.y));
    return size;
}

class PlotPicture {
  public:
    explicit PlotPicture(const PlotReport& report)
        : report_(report), panels_(panels_of(report.series)) {
        PlotSpan across;
        for (const PlotSeries& series : report.series)
            for (const PlotPoint& point : series.points) across.add(point.x);
        across_ = axis_along(across.low, across.high, 8);
        panel_height_ = panels_.size() == 1 ? kPlotOnePanel : kPlotPanel;
    }

    double height() const {
        return bottom_of(panels_.size() - 1) + kPlotBelowPanels +
               static_cast<double>(report_.series.size() > 1 ? report_.series.size() : 0) *
                   kPlotKeyStep;
    }

    void draw(Pen& pen) const {
        pen.strong_text(kPlotLeft, 38,
                        pen.fitted(report_.title, kPlotWidth - kPlotLeft - kPlotRight, 17), 17,
                        kInk);
        if (report_.series.size() == 1)
            pen.text(kPlotLeft, 60, report_.series[0].name, kPlotLetters, kSeries[0]);
        for (std::size_t i = 0; i < panels_.size(); ++i) draw_panel(pen, i);
        double y = bottom_of(panels_.size() - 1);
        for (double tick : across_.ticks)
            pen.text_around(x_of(tick), y + 18, across_.text_of(tick), kPlotLetters, kFaint);
        pen.text_to(kPlotWidth - kPlotRight, y + 36, report_.across, kPlotLetters, kFaint);
        draw_key(pen, y + kPlotBelowPanels);
    }

  private:
    double top_of(std::size_t panel) const {
        return kPlotTop + static_cast<double>(panel) * (panel_height_ + kPlotPanelGap);
    }
    double bottom_of(std::size_t panel) const { return top_of(panel) + panel_height_; }
    double x_of(double x) const {
        return kPlotLeft + across_.share_of(x) * (kPlotWidth - kPlotLeft - kPlotRight);
    }
    static const Colour& colour_of(std::size_t series) {
        return kSeries[series % std::size(kSeries)];
    }

    void draw_panel(Pen& pen, std::size_t panel) const {
        PlotSpan span;
        for (std::size_t i : panels_[panel])
            for (const PlotPoint& point : report_.series[i].points)
                if (point.y && std::isfinite(*point.y)) span.add(*point.y);
        Axis up = axis_around(span.low, span.high, panels_.size() == 1 ? 8 : 4);
        double top = top_of(panel), bottom = bottom_of(panel);
        auto y_of = [&](double y) { return bottom - up.share_of(y) * (bottom - top); };
        for (double tick : up.ticks) {
            pen.line({{kPlotLeft, y_of(tick)}, {kPlotWidth - kPlotRight, y_of(tick)}}, 1,
                     kGridLine);
            pen.text_to(kPlotLeft - 10, y_of(tick) + 4, up.text_of(tick), kPlotLetters, kFaint);
        }
        pen.line({{kPlotLeft, top}, {kPlotLeft, bottom}}, 1, kFaint);
        pen.line({{kPlotLeft, bottom}, {kPlotWidth - kPlotRight, bottom}}, 1, kFaint);
        for (double tick : across_.ticks)
            pen.line({{x_of(tick), bottom}, {x_of(tick), bottom + 5}}, 1, kFaint);
        for (std::size_t i : panels_[panel]) draw_series(pen, i, y_of);
    }

    // A stretch without gaps is one line; steps go along before they go up.
    template <class YOf>
    void draw_series(Pen& pen, std::size_t number, const YOf& y_of) const {
        const PlotSeries& series = report_.series[number];
        std::vector<Point> run;
        auto end_run = [&] {
            if (run.size() > 1) pen.line(run, 2, colour_of(number));
            if (run.size() == 1) pen.fill(run[0].x - 2.5, run[0].y - 2.5, 5, 5, colour_of(number));
            run.clear();
        };
        for (const PlotPoint& point : series.points) {
            if (!point.y || !std::isfinite(*point.y)) {
                end_run();
                continue;
            }
            Point at{x_of(point.x), y_of(*point.y)};
            if (series.is_whole && !run.empty()) run.push_back({at.x, run.back().y});
            run.push_back(at);
            if (series.points.size() <= kPlotFewPoints) draw_mark(pen, at, number);
        }
        end_run();
    }

    // Told apart by form too, where colours are not seen.
    static void draw_mark(Pen& pen, Point at, std::size_t number) {
        constexpr double kHalf = 3.4;
        const Colour& colour = colour_of(number);
        switch (number % 3) {
            case 0: pen.fill(at.x - kHalf, at.y - kHalf, 2 * kHalf, 2 * kHalf, colour); break;
            case 1:
                pen.area({{at.x, at.y - 1.4 * kHalf},
                          {at.x + 1.4 * kHalf, at.y},
                          {at.x, at.y + 1.4 * kHalf},
                          {at.x - 1.4 * kHalf, at.y}},
                         colour);
                break;
            default:
                pen.area({{at.x - 1.2 * kHalf, at.y + kHalf},
                          {at.x + 1.2 * kHalf, at.y + kHalf},
                          {at.x, at.y - 1.3 * kHalf}},
                         colour);
        }
    }

    void draw_key(Pen& pen, double y) const {
        if (report_.series.size() == 1) return;
        for (std::size_t i = 0; i < report_.series.size(); ++i, y += kPlotKeyStep) {
            const PlotSeries& series = report_.series[i];
            pen.line({{kPlotLeft, y - 4}, {kPlotLeft + 26, y - 4}}, 2, colour_of(i));
            draw_mark(pen, {kPlotLeft + 13, y - 4}, i);
            std::size_t gaps = static_cast<std::size_t>(std::ranges::count_if(
                series.points, [](const PlotPoint& point) { return !point.y; }));
            std::string words = series.name;
            if (gaps) words += fmt::format("  ({} without a value)", gaps);
            pen.text(kPlotLeft + 36, y, pen.fitted(words, kPlotWidth - 200, kPlotLetters),
                     kPlotLetters, kInk);
        }
    }

    const PlotReport& report_;
    std::vector<std::vector<std::size_t>> panels_;
    Axis across_;
    double panel_height_ = 0;
};

}  // namespace

std::vector<std::vector<std::size_t>> panels_of(const std::vector<PlotSeries>& series) {
    std::vector<std::size_t> by_size(series.size());
    for (std::size_t i = 0; i < series.size(); ++i) by_size[i] = i;
    std::ranges::stable_sort(by_size, std::greater<>(),
                             [&](std::size_t i) { return size_of(series[i]); });
    std::vector<std::vector<std::size_t>> panels;
    double largest = 0;
    for (std::size_t i : by_size) {
        double size = size_of(series[i]);
        bool fits = !panels.empty() && (size * kPlotFarApart >= largest || size == 0);
        if (!fits) {
            panels.push_back({});
            largest = size;
        }
        panels.back().push_back(i);
    }
    for (auto& panel : panels) std::ranges::sort(panel);
    return panels;
}

void draw_plot(const PlotReport& report, const std::filesystem::path& file) {
    PlotPicture picture(report);
    write_figure(file, kPlotWidth, picture.height(), report.caption,
                 [&](Pen& pen) { picture.draw(pen); });
}

}  // namespace lantern::cli
