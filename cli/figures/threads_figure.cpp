// Threads as boxes; an arrow from each that waits to the one that holds what it
// waits for.
#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "cli/figures/graph_layout.h"
#include "cli/figures/process_figures.h"
#include "cli/views/text.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr double kThreadsSide = 40, kThreadsTop = 90, kThreadsLetters = 12, kThreadsBoxHeight = 66,
                 kThreadsLeastWidth = 200, kThreadsMostWidth = 420, kThreadsGapX = 40,
                 kThreadsGapY = 26;
constexpr std::size_t kThreadsMostThreads = 60, kThreadsInOneLine = 3;
constexpr Colour kThreadsRuns{0.80, 0.91, 0.80}, kThreadsWaits{0.97, 0.91, 0.62},
    kThreadsIdle{0.90, 0.90, 0.90};

struct ThreadBox {
    const ThreadRow* row = nullptr;
    double width = kThreadsLeastWidth;
    std::string title, place, state;
};

ThreadBox box_of(const ThreadRow& row, Pen& pen) {
    ThreadBox box{&row, kThreadsLeastWidth, fmt::format("thread {}  {}", row.number, row.name), "",
                  ""};
    box.place = name_text(row.function);
    if (row.line) box.place += "  " + place_text(short_file(row.file), row.line);
    box.state = !row.waits_for.empty() ? "waits for " + row.waits_for : row.state;
    for (const std::string* each : {&box.title, &box.place, &box.state})
        box.width = std::max(box.width, pen.width_of(*each, kThreadsLetters) + 28);
    box.width = std::min(box.width, kThreadsMostWidth);
    return box;
}

class ThreadsPicture {
  public:
    explicit ThreadsPicture(const ThreadsDrawing& drawing) : drawing_(drawing) {
        Pen pen;
        // Those that wait for each other come first, the others may be left out.
        std::vector<const ThreadRow*> rows;
        for (const ThreadRow& row : drawing.threads.rows) rows.push_back(&row);
        auto is_waited_for = [&](const ThreadRow* row) {
            return std::ranges::any_of(drawing.threads.rows, [&](const ThreadRow& other) {
                return other.waits_for_thread == row->number;
            });
        };
        std::ranges::stable_partition(rows, [&](const ThreadRow* row) {
            return row->waits_for_thread || is_waited_for(row);
        });
        left_out_ = rows.size() > kThreadsMostThreads ? rows.size() - kThreadsMostThreads : 0;
        rows.resize(std::min(rows.size(), kThreadsMostThreads));
        std::map<unsigned, std::size_t> by_number;
        for (const ThreadRow* row : rows) {
            by_number[row->number] = boxes_.size();
            boxes_.push_back(box_of(*row, pen));
        }
        for (std::size_t i = 0; i < boxes_.size(); ++i)
            if (auto to = by_number.find(boxes_[i].row->waits_for_thread); to != by_number.end())
                arrows_.push_back({i, to->second});
        lay_out();
    }

    double width() const { return width_; }
    double height() const { return height_; }

    void draw(Pen& pen) const {
        pen.strong_text(kThreadsSide, 38, "the threads, and whom they wait for", 17, kInk);
        std::string words = counted(drawing_.threads.rows.size(), "thread");
        if (left_out_)
            words += fmt::format("; {} that wait for nobody here are left out", left_out_);
        pen.text(kThreadsSide, 58, words, 11, kFaint);
        if (!drawing_.threads.warning.empty())
            pen.text(kThreadsSide, 76,
                     pen.fitted("✕ " + drawing_.threads.warning, width_ - 2 * kThreadsSide, 11), 11,
                     kAlarm);
        for (const GraphArrow& arrow : arrows_) draw_arrow(pen, arrow);
        for (std::size_t i = 0; i < boxes_.size(); ++i) draw_box(pen, i);
    }

  private:
    void lay_out() {
        std::vector<GraphBox> sizes;
        for (const ThreadBox& box : boxes_) sizes.push_back({box.width, kThreadsBoxHeight});
        if (!arrows_.empty()) {
            places_ = lay_out_graph(sizes, arrows_, Downstream::right);
        } else {
            double widest = kThreadsLeastWidth;
            for (const ThreadBox& box : boxes_) widest = std::max(widest, box.width);
            for (std::size_t i = 0; i < boxes_.size(); ++i)
                places_.push_back(
                    {static_cast<double>(i % kThreadsInOneLine) * (widest + kThreadsGapX),
                     static_cast<double>(i / kThreadsInOneLine) *
                         (kThreadsBoxHeight + kThreadsGapY)});
        }
        for (std::size_t i = 0; i < places_.size(); ++i) {
            places_[i].x += kThreadsSide;
            places_[i].y += kThreadsTop + 10;
            width_ = std::max(width_, places_[i].x + boxes_[i].width + kThreadsSide);
            height_ = std::max(height_, places_[i].y + kThreadsBoxHeight + 46);
        }
    }

    void draw_arrow(Pen& pen, const GraphArrow& arrow) const {
        const Point &from = places_[arrow.from], &to = places_[arrow.to];
        double from_right = from.x + boxes_[arrow.from].width,
               to_right = to.x + boxes_[arrow.to].width;
        if (to.x >= from_right) {
            Point begin{from_right, from.y + kThreadsBoxHeight / 2 - 8},
                end{to.x, to.y + kThreadsBoxHeight / 2 - 8};
            pen.curve(begin, {begin.x + 40, begin.y}, {end.x - 40, end.y}, {end.x - 6, end.y}, 1.6,
                      kInk);
            pen.head({end.x - 10, end.y}, end, kInk);
            return;
        }
        // Back or beside: below the boxes.
        Point begin{from.x + boxes_[arrow.from].width / 2, from.y + kThreadsBoxHeight},
            end{to_right - boxes_[arrow.to].width / 2, to.y + kThreadsBoxHeight};
        double low = std::max(begin.y, end.y) + 34;
        pen.curve(begin, {begin.x, low}, {end.x, low}, {end.x, end.y + 6}, 1.6, kInk);
        pen.head({end.x, end.y + 12}, end, kInk);
    }

    void draw_box(Pen& pen, std::size_t i) const {
        const ThreadBox& box = boxes_[i];
        auto [x, y] = places_[i];
        bool waits = !box.row->waits_for.empty();
        pen.box(x, y, box.width, kThreadsBoxHeight,
                waits                    ? kThreadsWaits
                : box.row->state.empty() ? kThreadsRuns
                                         : kThreadsIdle);
        if (box.row->is_selected) pen.frame(x, y, box.width, kThreadsBoxHeight);
        double room = box.width - 24;
        pen.strong_text(x + 12, y + 18, pen.fitted(box.title, room * 0.97, kThreadsLetters),
                        kThreadsLetters, kInk);
        pen.text(x + 12, y + 36, pen.fitted(box.place, room, kThreadsLetters), kThreadsLetters,
                 kInk);
        pen.text(x + 12, y + 54, pen.fitted(box.state, room, kThreadsLetters), kThreadsLetters,
                 kFaint);
    }

    const ThreadsDrawing& drawing_;
    std::vector<ThreadBox> boxes_;
    std::vector<GraphArrow> arrows_;
    std::vector<Point> places_;
    std::size_t left_out_ = 0;
    double width_ = 560, height_ = 200;
};

}  // namespace

void draw_threads(const ThreadsDrawing& drawing, const std::filesystem::path& file) {
    ThreadsPicture picture(drawing);
    write_figure(file, picture.width(), picture.height(), drawing.caption,
                 [&](Pen& pen) { picture.draw(pen); });
}

}  // namespace lantern::cli
