// The flow graph of a function: blocks from its entry downwards, with the lines of the source they
// are of; what lies apart from the function's first part is dashed.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cli/figures/graph_layout.h"
#include "cli/figures/process_figures.h"
#include "cli/views/text.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr double kCodeSide = 34, kCodeTop = 92, kCodeLetters = 11.5, kCodeRow = 17, kCodeHead = 24,
                 kCodeMostWidth = 460, kCodeLeastWidth = 200, kCodeGoneWidth = 3.2;
constexpr std::size_t kCodeMostLines = 8, kCodeMostBlocks = 400, kCodeMostForGraphviz = 160;
constexpr Colour kCodePlainFill{0.93, 0.95, 0.98}, kCodeLoopFill{0.97, 0.94, 0.84},
    kCodeHereFill{0.97, 0.91, 0.62}, kCodeEntryFill{0.80, 0.91, 0.80},
    kCodeWayColour{0.22, 0.33, 0.48}, kCodeBackColour{0.70, 0.35, 0.0};

class CodePicture {
  public:
    explicit CodePicture(const CodeDrawing& drawing) : drawing_(drawing) {
        Pen pen;
        for (const auto& block : drawing.blocks) sizes_.push_back(size_of(block, pen));
        std::vector<GraphArrow> arrows;
        for (const auto& way : drawing.ways)
            if (!way.is_back) arrows.push_back({way.from, way.to});
        places_ = drawing.blocks.size() <= kCodeMostForGraphviz
                      ? lay_out_graph(sizes_, arrows, Downstream::down)
                      : lay_out_tree(sizes_, arrows);
        for (std::size_t i = 0; i < places_.size(); ++i) {
            places_[i].x += kCodeSide + kBackRoom;
            places_[i].y += kCodeTop;
            width_ = std::max(width_, places_[i].x + sizes_[i].width + kCodeSide + kBackRoom);
            height_ = std::max(height_, places_[i].y + sizes_[i].height + 40);
        }
    }

    double width() const { return width_; }
    double height() const { return height_; }

    void draw(Pen& pen) const {
        pen.strong_text(
            kCodeSide, 38,
            pen.fitted("the code of " + name_text(drawing_.function), width_ - 2 * kCodeSide, 17),
            17, kInk);
        std::size_t instructions = 0;
        for (const auto& block : drawing_.blocks) instructions += block.instructions;
        pen.text(kCodeSide, 58,
                 fmt::format("{} in {}{}; blue ways go on, brown ones go back to a loop's head",
                             counted(instructions, "instruction"),
                             counted(drawing_.blocks.size(), "block"),
                             drawing_.blocks_left_out
                                 ? fmt::format(" ({} more have not run)",
                                               with_thousands(drawing_.blocks_left_out))
                                 : ""),
                 11, kFaint);
        if (drawing_.counted_by)
            pen.text(kCodeSide, 74,
                     fmt::format("thick, or with a bar: gone since the stop before; counted by ▪{}",
                                 drawing_.counted_by),
                     11, kFaint);
        for (const auto& way : drawing_.ways) draw_way(pen, way);
        for (std::size_t i = 0; i < drawing_.blocks.size(); ++i) draw_block(pen, i);
    }

  private:
    static constexpr double kBackRoom = 46;

    static std::string line_text(const CodeDrawing::Line& line) {
        return fmt::format("{:>4}  {}", line.line, line.text);
    }

    static std::string count_text(const CodeDrawing::Block& block) {
        if (!block.runs_since_stop)
            return fmt::format("▪{} counted {} times", block.counted_by,
                               with_thousands(*block.runs));
        if (!*block.runs) return "has not run";
        return fmt::format("ran {}×, {}× since", with_thousands(*block.runs),
                           with_thousands(*block.runs_since_stop));
    }

    static GraphBox size_of(const CodeDrawing::Block& block, Pen& pen) {
        double width = kCodeLeastWidth;
        std::size_t shown = std::min(block.lines.size(), kCodeMostLines);
        for (std::size_t i = 0; i < shown; ++i)
            width = std::max(width, pen.width_of(line_text(block.lines[i]), kCodeLetters) + 20);
        width = std::max(width, pen.width_of(block.ending, kCodeLetters) + 20);
        std::size_t rows =
            std::max<std::size_t>(shown, 1) + (block.lines.size() > shown) + !block.ending.empty();
        return {std::min(width, kCodeMostWidth),
                kCodeHead + static_cast<double>(rows) * kCodeRow + 6};
    }

    void draw_way(Pen& pen, const CodeDrawing::Way& way) const {
        const Point &from = places_[way.from], &to = places_[way.to];
        const GraphBox &one = sizes_[way.from], &other = sizes_[way.to];
        if (way.is_back) {
            Point begin{from.x, from.y + one.height - 12}, end{to.x, to.y + 12};
            double out = std::min(begin.x, end.x) - kBackRoom;
            pen.curve(begin, {out, begin.y}, {out, end.y}, {end.x - 6, end.y},
                      way.runs_since_stop ? kCodeGoneWidth : 1.5, kCodeBackColour);
            pen.head({end.x - 12, end.y}, end, kCodeBackColour);
            return;
        }
        double shift = way.is_jump ? one.width * 0.2 : 0;
        Point begin{from.x + one.width / 2 + shift, from.y + one.height},
            end{to.x + other.width / 2, to.y};
        double pull = std::clamp((end.y - begin.y) / 2, 12.0, 90.0);
        pen.curve(begin, {begin.x, begin.y + pull}, {end.x, end.y - pull}, {end.x, end.y - 6},
                  way.runs_since_stop ? kCodeGoneWidth : 1.4, kCodeWayColour, way.is_jump);
        pen.head({end.x, end.y - 12}, end, kCodeWayColour);
    }

    void draw_block(Pen& pen, std::size_t i) const {
        const CodeDrawing::Block& block = drawing_.blocks[i];
        auto [x, y] = places_[i];
        double width = sizes_[i].width, height = sizes_[i].height;
        pen.box(x, y, width, height,
                block.is_here      ? kCodeHereFill
                : block.is_entry   ? kCodeEntryFill
                : block.loop_depth ? kCodeLoopFill
                                   : kCodePlainFill);
        if (block.runs_since_stop.value_or(0)) pen.fill(x, y, 5, height, kCodeWayColour);
        if (block.is_here) pen.frame(x, y, width, height);
        if (block.is_apart) pen.frame(x, y, width, height, true);
        std::string head = fmt::format("{:#x}", block.address & 0xffffff);
        if (block.is_entry) head = "entry  " + head;
        if (block.is_here) head = "◆ here  " + head;
        if (block.is_apart) head = "apart  " + head;
        std::string count = counted(block.instructions, "instruction");
        if (block.runs) count = count_text(block);
        pen.text(x + 10, y + 16, pen.fitted(head, width - 30 - pen.width_of(count, 10), 10), 10,
                 kFaint);
        pen.text_to(x + width - 8, y + 16, count, 10, kFaint);
        double at = y + kCodeHead + 12;
        std::size_t shown = std::min(block.lines.size(), kCodeMostLines);
        for (std::size_t line = 0; line < shown; ++line, at += kCodeRow)
            pen.text(x + 8, at, pen.fitted(line_text(block.lines[line]), width - 14, kCodeLetters),
                     kCodeLetters, kInk);
        if (block.lines.empty()) {
            pen.text(x + 8, at, "no line", kCodeLetters, kFaint);
            at += kCodeRow;
        }
        if (block.lines.size() > shown) {
            pen.text(x + 8, at, fmt::format("… {} more lines", block.lines.size() - shown),
                     kCodeLetters, kFaint);
            at += kCodeRow;
        }
        if (!block.ending.empty())
            pen.text(x + 8, at, pen.fitted(block.ending, width - 14, kCodeLetters), kCodeLetters,
                     kFaint);
    }

    const CodeDrawing& drawing_;
    std::vector<GraphBox> sizes_;
    std::vector<Point> places_;
    double width_ = 480, height_ = 160;
};

}  // namespace

void draw_code(const CodeDrawing& drawing, const std::filesystem::path& file) {
    if (drawing.blocks.size() > kCodeMostBlocks)
        throw RequestError(fmt::format("{} has {} blocks, too many for a picture", drawing.function,
                                       with_thousands(drawing.blocks.size())),
                           "became tells of it line by line");
    CodePicture picture(drawing);
    write_figure(file, picture.width(), picture.height(), drawing.caption,
                 [&](Pen& pen) { picture.draw(pen); });
}

}  // namespace lantern::cli
