// Threads as boxes; an arrow from each that waits to the one that holds what it waits for. Those
// that do the same in the same place are one box:
//
//     ┌ 12 threads: 4–15 ┐      ┌ thread 2  keeper ┐
//     │ waits for gate   │ ───> │ in sleep         │
//     └──────────────────┘      └──────────────────┘
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <tuple>

#include "cli/figures/graph_layout.h"
#include "cli/figures/process_figures.h"
#include "cli/views/text.h"
#include "core/analysis/threads_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr double kThreadsSide = 40, kThreadsTop = 90, kThreadsLetters = 12, kThreadsBoxHeight = 66,
                 kThreadsLeastWidth = 200, kThreadsMostWidth = 420, kThreadsGapX = 40,
                 kThreadsGapY = 26;
constexpr std::size_t kThreadsMostBoxes = 60, kThreadsInOneLine = 3, kThreadsAlike = 3;
constexpr Colour kThreadsRuns{0.80, 0.91, 0.80}, kThreadsWaits{0.97, 0.91, 0.62},
    kThreadsIdle{0.90, 0.90, 0.90};

using ThreadRows = std::vector<const ThreadRow*>;

struct ThreadBox {
    ThreadRows rows;
    double width = kThreadsLeastWidth;
    std::string title, place, state;

    const ThreadRow& first() const { return *rows.front(); }
};

bool do_the_same(const ThreadRow& one, const ThreadRow& other) {
    auto told = [](const ThreadRow& row) {
        return std::tie(row.function, row.file, row.line, row.state, row.waits_for,
                        row.waits_for_thread);
    };
    return !one.is_selected && !other.is_selected && told(one) == told(other);
}

// "4–15, 18"
std::string numbers_of(const ThreadRows& rows) {
    std::string text;
    for (std::size_t i = 0; i < rows.size();) {
        std::size_t last = i;
        while (last + 1 < rows.size() && rows[last + 1]->number == rows[last]->number + 1) ++last;
        text += fmt::format("{}{}", text.empty() ? "" : ", ", rows[i]->number);
        if (last > i) text += fmt::format("{}{}", last > i + 1 ? "–" : ", ", rows[last]->number);
        i = last + 1;
    }
    return text;
}

std::string title_of(const ThreadRows& rows) {
    if (rows.size() == 1)
        return fmt::format("thread {}  {}", rows.front()->number, rows.front()->name);
    bool have_one_name = std::ranges::all_of(
        rows, [&](const ThreadRow* row) { return row->name == rows.front()->name; });
    return fmt::format("{} threads: {}  {}", rows.size(), numbers_of(rows),
                       have_one_name ? rows.front()->name : "");
}

ThreadBox box_of(const ThreadRows& rows, Pen& pen) {
    const ThreadRow& row = *rows.front();
    ThreadBox box{rows, kThreadsLeastWidth, title_of(rows), "", ""};
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
        std::vector<ThreadRows> groups = groups_of(drawing.threads.rows);
        std::stable_partition(groups.begin(), groups.end(), [&](const ThreadRows& group) {
            return group.front()->waits_for_thread || is_waited_for(*group.front());
        });
        for (std::size_t i = kThreadsMostBoxes; i < groups.size(); ++i)
            left_out_ += groups[i].size();
        groups.resize(std::min(groups.size(), kThreadsMostBoxes));
        std::map<unsigned, std::size_t> by_number;
        for (const ThreadRows& group : groups) {
            by_number[group.front()->number] = boxes_.size();
            boxes_.push_back(box_of(group, pen));
        }
        for (std::size_t i = 0; i < boxes_.size(); ++i)
            if (auto to = by_number.find(boxes_[i].first().waits_for_thread); to != by_number.end())
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
    bool is_waited_for(const ThreadRow& row) const {
        return std::ranges::any_of(drawing_.threads.rows, [&](const ThreadRow& other) {
            return other.waits_for_thread == row.number;
        });
    }

    // Alone where somebody waits for it, or where it has too few like it.
    std::vector<ThreadRows> groups_of(const std::vector<ThreadRow>& rows) const {
        std::vector<ThreadRows> groups;
        for (const ThreadRow& row : rows) {
            auto alike = std::ranges::find_if(groups, [&](const ThreadRows& group) {
                return do_the_same(*group.front(), row) && !is_waited_for(*group.front());
            });
            if (alike == groups.end() || is_waited_for(row))
                groups.push_back({&row});
            else
                alike->push_back(&row);
        }
        std::vector<ThreadRows> kept;
        for (const ThreadRows& group : groups) {
            if (group.size() >= kThreadsAlike)
                kept.push_back(group);
            else
                for (const ThreadRow* row : group) kept.push_back({row});
        }
        return kept;
    }

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
        bool waits = !box.first().waits_for.empty();
        // Several stand behind each other.
        for (double behind = box.rows.size() > 1 ? 8 : 0; behind > 0; behind -= 4)
            pen.box(x + behind, y - behind, box.width, kThreadsBoxHeight, kThreadsIdle);
        pen.box(x, y, box.width, kThreadsBoxHeight,
                waits                       ? kThreadsWaits
                : box.first().state.empty() ? kThreadsRuns
                                            : kThreadsIdle);
        if (box.first().is_selected) pen.frame(x, y, box.width, kThreadsBoxHeight);
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
