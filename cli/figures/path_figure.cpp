#include "cli/figures/path_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "cli/figures/pen.h"

namespace lantern::cli {
namespace {

constexpr double kPathSide = 30, kPathTop = 80, kWidth = 620, kBoxHeight = 50, kArrow = 42;
constexpr std::size_t kMostBoxes = 14;  // of blocks; the middle of a longer way is left out
constexpr Colour kRoot{0.80, 0.91, 0.80}, kBlock{0.80, 0.85, 0.93}, kMeant{0.93, 0.80, 0.66},
    kLost{0.93, 0.93, 0.93};

struct Box {
    std::string name, below;  // what it is, and where
    std::string into;         // what stands at the arrow that leads to it
    Colour fill;
};

Box box_of(const HeapPathStep& step, bool is_meant) {
    Box box;
    box.name = step.what.empty() ? "block" : step.what;
    box.below = fmt::format("{:#x}, {} bytes", step.block, with_thousands(step.size));
    box.into = step.offset ? fmt::format("into byte {}", step.offset) : "";
    box.fill = is_meant ? kMeant : kBlock;
    return box;
}

std::vector<Box> boxes_of(const HeapPathReport& report) {
    std::vector<Box> boxes;
    if (report.steps.empty()) {
        boxes.push_back({"nothing leads to it", "it is lost", "", kLost});
        HeapPathStep only;
        only.block = report.block.address;
        only.size = report.block.size;
        only.what = report.block.what;
        boxes.push_back(box_of(only, true));
        return boxes;
    }
    const HeapPathStep& root = report.steps.front();
    boxes.push_back(
        {root.where, root.pointer ? fmt::format("at {:#x}", root.pointer) : "", "", kRoot});
    std::size_t half = kMostBoxes / 2, count = report.steps.size();
    for (std::size_t i = 0; i < count; ++i) {
        if (count > kMostBoxes && i == half) {
            std::size_t left_out = count - kMostBoxes;
            boxes.push_back(
                {fmt::format("… {} more blocks", with_thousands(left_out)), "", "", kLost});
            i += left_out;
        }
        const HeapPathStep& step = report.steps[i];
        Box box = box_of(step, i + 1 == count);
        if (i > 0)
            box.into = fmt::format(
                "{}{}{}",
                step.from_part.empty() ? fmt::format("byte {}", step.from_byte) : step.from_part,
                box.into.empty() ? "" : " ", box.into);
        boxes.push_back(std::move(box));
    }
    return boxes;
}

void draw_box(Pen& pen, const Box& box, double y) {
    pen.box(kPathSide, y, kWidth, kBoxHeight, box.fill);
    pen.text(kPathSide + 14, y + (box.below.empty() ? 31 : 21),
             pen.fitted(escape_for_display(box.name), kWidth - 28, 14), 14, kInk);
    pen.text(kPathSide + 14, y + 40, box.below, 11, kFaint);
}

}  // namespace

void draw_path(const HeapPathReport& report, const std::string& caption,
               const std::filesystem::path& file) {
    std::vector<Box> boxes = boxes_of(report);
    double height =
        kPathTop + static_cast<double>(boxes.size()) * (kBoxHeight + kArrow) - kArrow + kPathSide;
    write_figure(file, 2 * kPathSide + kWidth, height, caption, [&](Pen& pen) {
        pen.strong_text(kPathSide, 38, fmt::format("what keeps {:#x}", report.block.address), 17,
                        kInk);
        pen.text(kPathSide, 58, "each box holds the pointer that leads to the next", 11, kFaint);
        double y = kPathTop;
        for (std::size_t i = 0; i < boxes.size(); ++i, y += kBoxHeight + kArrow) {
            draw_box(pen, boxes[i], y);
            if (i == 0 || report.steps.empty()) continue;
            double x = kPathSide + 60;
            pen.arrow_down(x, y - kArrow, y);
            pen.text(x + 14, y - kArrow / 2 + 4, boxes[i].into, 11, kFaint);
        }
    });
}

}  // namespace lantern::cli
