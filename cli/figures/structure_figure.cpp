// A box is a title, a line with its address, and a row for each member. Arrows begin at the right
// edge of their row and come to the box they lead to; they are drawn first, so that a long one
// passes behind the boxes in between.
//
//     ┌────────────────┐        ┌────────────────┐
//     │ struct barge   │   ┌───▶│ struct barge   │
//     │ 0x5010         │   │    │ 0x5040         │
//     ├────────────────┤   │    ├────────────────┤
//     │ name   "Wren"  │   │    │ name   "Heron" │
//     │ next          ─┼───┘    │ next   null    ┤
//     └────────────────┘        └────────────────┘
#include "cli/figures/structure_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "cli/figures/graph_layout.h"
#include "cli/saved_file.h"
#include "cli/views/page.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr double kStructureSide = 28, kStructureTop = 84, kStructureTitleRow = 36,
                 kStructureRow = 19, kStructureLetters = 12, kStructureSmall = 10.5,
                 kStructurePadding = 10, kStructureWidest = 460, kStructureNarrowest = 96,
                 kStructureLineWidth = 1160, kStructureGap = 64, kStructureLineGap = 46,
                 kStructureFoot = 26;
constexpr std::size_t kStructureMostForGraphviz =
    150;  // boxes: what it takes grows faster than they do
constexpr Colour kStructureStartFill{0.80, 0.91, 0.80}, kStructureObjectFill{0.80, 0.85, 0.93},
    kStructureBadFill{0.96, 0.83, 0.81}, kStructureFreshFill{0.97, 0.91, 0.62},
    kStructureRowFill{0.985, 0.988, 0.992}, kStructureArrow{0.22, 0.33, 0.48};

struct RowLook {
    std::string name, words;
    bool is_bad = false, is_faint = false;
};

bool is_bad(PointerState state) {
    return state == PointerState::nowhere || state == PointerState::freed ||
           state == PointerState::too_small;
}

RowLook look_of(const StructureRow& row) {
    RowLook look;
    look.name = row.name;
    look.is_bad = is_bad(row.state);
    look.is_faint = row.state == PointerState::null || row.state == PointerState::cut;
    look.words = row.value;
    if (row.state == PointerState::cut)
        look.words = row.behind > 1 ? fmt::format("… {} more", with_thousands(row.behind))
                     : row.behind   ? "… 1 more"
                                    : "… more";
    if (look.is_bad) look.words = "✕ " + look.words;
    if (!row.remark.empty()) look.words += (look.words.empty() ? "" : "  ") + row.remark;
    if (!row.into.empty()) look.words += (look.words.empty() ? "" : "  ") + ("to " + row.into);
    if (!row.before.empty() && row.to)
        look.words += (look.words.empty() ? "" : "  ") + ("was " + row.before);
    else if (!row.before.empty() && row.before != row.value)
        look.words = row.before + " → " + look.words;
    return look;
}

// Everything about a box but where it is.
struct Block {
    const StructureBox* box = nullptr;
    double width = kStructureNarrowest, height = 0, names = 0;  // names: the width of their column
    std::vector<RowLook> rows;
    std::string foot;  // what was left out of it
};

Block block_of(const StructureBox& box, Pen& pen) {
    Block block;
    block.box = &box;
    double words = 0;
    for (const StructureRow& row : box.rows) {
        block.rows.push_back(look_of(row));
        block.names =
            std::max(block.names, pen.width_of(block.rows.back().name, kStructureLetters));
        words = std::max(words, pen.width_of(block.rows.back().words, kStructureLetters));
    }
    block.names = std::min(block.names, kStructureWidest / 2);
    if (box.more_rows) block.foot = fmt::format("… {} more", with_thousands(box.more_rows));
    double title = pen.width_of(box.title, kStructureLetters) * 1.05,
           second = pen.width_of(box.address + "  " + word_of(box.change), kStructureSmall) + 20;
    block.width = std::clamp(std::max({block.names + (block.names > 0 ? 14 : 0) + words, title,
                                       second, pen.width_of(box.problem, kStructureSmall)}) +
                                 2 * kStructurePadding + 8,
                             kStructureNarrowest, kStructureWidest);
    block.height = kStructureTitleRow + static_cast<double>(box.rows.size()) * kStructureRow + 6 +
                   (box.problem.empty() ? 0 : kStructureRow) +
                   (block.foot.empty() ? 0 : kStructureRow);
    return block;
}

class StructurePicture {
  public:
    explicit StructurePicture(const StructureReport& report) : report_(report) {
        Pen pen;
        for (const StructureBox& box : report.boxes) blocks_.push_back(block_of(box, pen));
        for (const StructureBox& box : report.boxes)
            for (const StructureRow& row : box.rows)
                if (row.to) arrows_.push_back({box.number - 1, row.to - 1});
        lay_out();
        for (Point& place : places_) {
            place.x += kStructureSide;
            place.y += kStructureTop;
        }
        for (std::size_t i = 0; i < blocks_.size(); ++i) {
            width_ = std::max(width_, places_[i].x + blocks_[i].width + kStructureSide + 20);
            height_ = std::max(height_, places_[i].y + blocks_[i].height + kStructureFoot);
        }
    }

    double width() const { return width_; }
    double height() const { return height_; }

    void draw(Pen& pen) {
        pen.strong_text(kStructureSide, 38,
                        pen.fitted(escape_for_display(title()), width_ - 2 * kStructureSide, 17),
                        17, kInk);
        pen.text(kStructureSide, 58, pen.fitted(summary(), width_ - 2 * kStructureSide, 11), 11,
                 kFaint);
        for (std::size_t i = 0; i < blocks_.size(); ++i) draw_arrows(pen, i);
        for (std::size_t i = 0; i < blocks_.size(); ++i) draw_block(pen, i);
        for (const Point& root : roots_) pen.fill(root.x, root.y, 6, 6, kStructureArrow);
    }

  private:
    std::string title() const { return report_.expression; }

    std::string summary() const {
        std::string shape = report_.shape == StructureShape::chain  ? "a chain of "
                            : report_.shape == StructureShape::tree ? "a tree of "
                                                                    : "";
        std::size_t now = report_.boxes.size() - report_.gone;
        std::size_t counted_boxes =
            report_.shape == StructureShape::chain ? report_.chain.size() : now;
        std::string out = shape + counted(counted_boxes, "box");
        if (counted_boxes != 1)
            out = shape + fmt::format("{} boxes", with_thousands(counted_boxes));
        if (report_.cut)
            out += fmt::format("; {}{} more left out", report_.is_counted ? "" : "at least ",
                               with_thousands(report_.cut));
        if (!report_.since.empty())
            out += fmt::format("; since {}: {} new, {} changed, {} gone", report_.since,
                               report_.fresh, report_.changed, report_.gone);
        if (!report_.remark.empty()) out += "; " + report_.remark;
        return out;
    }

    // ---- places

    void lay_out() {
        std::vector<GraphBox> sizes;
        for (const Block& block : blocks_) sizes.push_back({block.width, block.height});
        if (report_.shape == StructureShape::chain) return lay_out_chain();
        bool is_small = blocks_.size() <= kStructureMostForGraphviz;
        places_ = report_.shape == StructureShape::graph && is_small
                      ? lay_out_graph(sizes, arrows_, Downstream::right)
                      : lay_out_tree(sizes, arrows_);
    }

    // Along lines, as words on a page; what a box of the chain alone leads to hangs below it.
    void lay_out_chain() {
        places_.assign(blocks_.size(), {});
        std::vector<std::vector<std::size_t>> columns = columns_of_chain();
        double x = 0, y = 0, tallest = 0;
        bool is_among_gone = false;
        for (const auto& column : columns) {
            double width = 0, height = 0;
            for (std::size_t box : column) {
                width = std::max(width, blocks_[box].width);
                height += blocks_[box].height + kStructureLineGap / 2;
            }
            bool is_gone = report_.boxes[column.front()].change == BoxChange::gone;
            bool begins_gone = is_gone && !is_among_gone;
            is_among_gone = is_gone;
            if (x > 0 && (begins_gone || x + width > kStructureLineWidth)) {
                x = 0;
                y += tallest + kStructureLineGap;
                tallest = 0;
            }
            double at = y;
            for (std::size_t box : column) {
                places_[box] = {x, at};
                at += blocks_[box].height + kStructureLineGap / 2;
            }
            tallest = std::max(tallest, height - kStructureLineGap / 2);
            x += width + kStructureGap;
        }
    }

    std::vector<std::vector<std::size_t>> columns_of_chain() const {
        std::vector<std::vector<std::size_t>> columns;
        std::vector<std::size_t> column_of(blocks_.size(), ~std::size_t{0});
        std::size_t head = report_.chain.front() - 1;
        std::vector<std::size_t> before;  // what leads to the head
        for (std::size_t i = 0; i < head; ++i) before.push_back(i);
        if (!before.empty()) columns.push_back(before);
        for (std::size_t i : before) column_of[i] = 0;
        for (unsigned number : report_.chain) {
            column_of[number - 1] = columns.size();
            columns.push_back({number - 1});
        }
        for (const GraphArrow& arrow : arrows_) {
            if (column_of[arrow.to] != ~std::size_t{0} || column_of[arrow.from] == ~std::size_t{0})
                continue;
            column_of[arrow.to] = column_of[arrow.from];
            columns[column_of[arrow.from]].push_back(arrow.to);
        }
        for (std::size_t i = 0; i < blocks_.size(); ++i)
            if (column_of[i] == ~std::size_t{0}) columns.push_back({i});
        return columns;
    }

    // ---- shapes

    double row_y(std::size_t block, std::size_t row) const {
        double problem = report_.boxes[block].problem.empty() ? 0 : kStructureRow;
        return places_[block].y + kStructureTitleRow + problem +
               (static_cast<double>(row) + 0.5) * kStructureRow + 1;
    }

    Point landing(std::size_t block, const std::string& into, bool from_right) const {
        const Point& place = places_[block];
        double y = place.y + 16;
        for (std::size_t i = 0; i < blocks_[block].rows.size(); ++i)
            if (!into.empty() && blocks_[block].rows[i].name == into) y = row_y(block, i);
        return {from_right ? place.x + blocks_[block].width : place.x, y};
    }

    void draw_arrows(Pen& pen, std::size_t i) {
        const StructureBox& box = report_.boxes[i];
        for (std::size_t row = 0; row < box.rows.size(); ++row) {
            if (box.rows[row].to) arrow(pen, i, row, box.rows[row].to - 1, box.rows[row].into);
        }
    }

    void arrow(Pen& pen, std::size_t from, std::size_t row, std::size_t to,
               const std::string& into) {
        double left = places_[from].x, right = left + blocks_[from].width, y = row_y(from, row);
        const Point& there = places_[to];
        double there_right = there.x + blocks_[to].width;
        bool is_right = there.x >= right;
        bool is_left = there_right <= left;
        if (is_in_chain(from) && is_in_chain(to) && from != to) {
            bool is_below = there.y > places_[from].y + blocks_[from].height / 2;
            bool is_above = there.y + blocks_[to].height < places_[from].y;
            if (is_below && is_left) {
                add_root({right, y});
                return arrow_to_next_line(pen, {right, y}, landing(to, into, false));
            }
            if (is_above && is_right) {
                add_root({left + 6, y});
                return arrow_to_line_before(pen, from, {left, y}, landing(to, into, true));
            }
        }
        add_root({is_left ? left + 6 : right, y});
        if (is_right || is_left) {
            Point begin{is_right ? right : left, y}, end = landing(to, into, is_left);
            double pull = std::clamp(std::abs(end.x - begin.x) / 2, 24.0, 160.0);
            pull = is_right ? pull : -pull;
            curved(pen, begin, {begin.x + pull, begin.y}, {end.x - pull, end.y}, end);
            return;
        }
        // Above, below, or to itself: around the right side.
        Point begin{right, y}, end = landing(to, into, true);
        double out = std::max(right, there_right) + 26;
        curved(pen, begin, {out, begin.y}, {out, end.y}, end);
    }

    // Drawn later than the box, at the edge where the arrow begins.
    void add_root(Point at) { roots_.push_back({at.x - 6, at.y - 3}); }

    bool is_in_chain(std::size_t block) const {
        return std::ranges::find(report_.chain, block + 1) != report_.chain.end();
    }

    static void curved(Pen& pen, Point begin, Point first, Point second, Point end) {
        double short_of = end.x > second.x ? -6 : 6;
        pen.curve(begin, first, second, {end.x + short_of, end.y}, 1.3, kStructureArrow);
        pen.head({second.x, end.y}, end, kStructureArrow);
    }

    void arrow_to_next_line(Pen& pen, Point begin, Point end) const {
        double line = end.y - 16 - kStructureLineGap / 2;
        pen.line({begin,
                  {begin.x + kStructureGap / 3, begin.y},
                  {begin.x + kStructureGap / 3, line},
                  {end.x - kStructureSide / 2, line},
                  {end.x - kStructureSide / 2, end.y},
                  {end.x - 6, end.y}},
                 1.3, kStructureArrow);
        pen.head({end.x - 10, end.y}, end, kStructureArrow);
    }

    void arrow_to_line_before(Pen& pen, std::size_t from, Point begin, Point end) const {
        double line = places_[from].y - kStructureLineGap / 2 + 8,
               out = begin.x - kStructureSide / 2 - 5, in = end.x + kStructureGap / 3 + 6;
        pen.line({begin, {out, begin.y}, {out, line}, {in, line}, {in, end.y}, {end.x + 6, end.y}},
                 1.3, kStructureArrow);
        pen.head({end.x + 10, end.y}, end, kStructureArrow);
    }

    void draw_block(Pen& pen, std::size_t i) const {
        const Block& block = blocks_[i];
        const StructureBox& box = *block.box;
        auto [x, y] = places_[i];
        bool is_gone = box.change == BoxChange::gone;
        pen.fill(x, y, block.width, block.height, kStructureRowFill);
        pen.fill(x, y, block.width, kStructureTitleRow,
                 !box.problem.empty()             ? kStructureBadFill
                 : box.change == BoxChange::fresh ? kStructureFreshFill
                 : box.is_start                   ? kStructureStartFill
                                                  : kStructureObjectFill);
        double room = block.width - 2 * kStructurePadding;
        pen.strong_text(x + kStructurePadding, y + 15,
                        pen.fitted(escape_for_display(box.title), room * 0.96, kStructureLetters),
                        kStructureLetters, kInk);
        pen.text(x + kStructurePadding, y + 29, box.address, kStructureSmall, kFaint);
        if (std::string tag = word_of(box.change); !tag.empty())
            pen.text_to(x + block.width - kStructurePadding, y + 29, tag, kStructureSmall, kAlarm);
        if (!box.problem.empty())
            pen.text(x + kStructurePadding, y + kStructureTitleRow + 14,
                     pen.fitted("✕ " + escape_for_display(box.problem), room, kStructureSmall),
                     kStructureSmall, kAlarm);
        for (std::size_t row = 0; row < block.rows.size(); ++row) draw_row(pen, i, row);
        if (!block.foot.empty())
            pen.text(x + kStructurePadding, y + block.height - 8, block.foot, kStructureSmall,
                     kFaint);
        pen.frame(x, y, block.width, block.height, is_gone || !box.problem.empty());
    }

    void draw_row(Pen& pen, std::size_t i, std::size_t row) const {
        const Block& block = blocks_[i];
        const StructureRow& facts = block.box->rows[row];
        const RowLook& look = block.rows[row];
        double x = places_[i].x, y = row_y(i, row) + 4, right = x + block.width;
        if (look.is_bad || !facts.before.empty())
            pen.fill(x + 1, y - 14, block.width - 2, kStructureRow,
                     look.is_bad ? kStructureBadFill : kStructureFreshFill);
        pen.text(x + kStructurePadding, y,
                 pen.fitted(escape_for_display(look.name), block.names + 1, kStructureLetters),
                 kStructureLetters, kFaint);
        double at = x + kStructurePadding + (block.names > 0 ? block.names + 14 : 0);
        pen.text(at, y,
                 pen.fitted(escape_for_display(look.words), right - kStructurePadding - at,
                            kStructureLetters),
                 kStructureLetters,
                 look.is_bad     ? kAlarm
                 : look.is_faint ? kFaint
                                 : kInk);
        if (facts.state == PointerState::null) {  // the end of the way
            pen.line({{right, y - 4}, {right + 8, y - 4}}, 1.3, kFaint);
            pen.line({{right + 8, y - 9}, {right + 8, y + 1}}, 1.6, kFaint);
        }
        if (look.is_bad) pen.line({{right, y - 4}, {right + 16, y - 4}}, 1.3, kAlarm, true);
        if (facts.state == PointerState::cut)
            pen.line({{right, y - 4}, {right + 16, y - 4}}, 1.3, kFaint, true);
    }

    const StructureReport& report_;
    std::vector<Block> blocks_;
    std::vector<GraphArrow> arrows_;
    std::vector<Point> places_;
    std::vector<Point> roots_;  // where arrows begin
    double width_ = 420, height_ = 160;
};

}  // namespace

std::string word_of(BoxChange change) {
    switch (change) {
        case BoxChange::fresh: return "new";
        case BoxChange::changed: return "changed";
        case BoxChange::gone: return "gone";
        case BoxChange::same: break;
    }
    return {};
}

std::string structure_dot(const StructureReport& report) {
    std::string out =
        "digraph structure {\n  rankdir=LR;\n  node [shape=plain, fontname=\"DejaVu Sans Mono\", "
        "fontsize=11];\n";
    std::string arrows;
    for (const StructureBox& box : report.boxes) {
        out += fmt::format(
            "  b{} [label=<<table border=\"1\" cellborder=\"0\" cellspacing=\"0\"><tr><td "
            "colspan=\"2\" bgcolor=\"#ccd9ed\"><b>{}</b> {}</td></tr>",
            box.number, html(box.title), html(box.address));
        for (std::size_t i = 0; i < box.rows.size(); ++i) {
            RowLook look = look_of(box.rows[i]);
            out += fmt::format(
                "<tr><td align=\"left\">{}</td><td align=\"left\" port=\"r{}\">{}</td></tr>",
                html(look.name), i, html(look.words));
            if (box.rows[i].to)
                arrows += fmt::format("  b{}:r{}:e -> b{};\n", box.number, i, box.rows[i].to);
        }
        out += "</table>>];\n";
    }
    return out + arrows + "}\n";
}

void draw_structure(const StructureReport& report, const std::filesystem::path& file) {
    if (file.extension() == ".dot") return write_whole_file(file, structure_dot(report));
    StructurePicture picture(report);
    write_figure(file, picture.width(), picture.height(), report.caption,
                 [&](Pen& pen) { picture.draw(pen); });
}

}  // namespace lantern::cli
