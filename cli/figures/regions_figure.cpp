// The address space from high to low, heights by the logarithm of the sizes; regions of one file
// that lie together are one box, and the pointers of the selected frame stand beside the box they
// lead into.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "cli/figures/pen.h"
#include "cli/figures/process_figures.h"
#include "core/analysis/memory_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr double kRegionsSide = 30, kRegionsTop = 92, kRegionsAddresses = 150,
                 kRegionsBarWidth = 280, kRegionsWide = 1100, kRegionsLetters = 12,
                 kRegionsHole = 16, kRegionsRowHeight = 17;
constexpr std::size_t kRegionsMostBoxes = 48;

struct Kind {
    const char* words;
    Colour fill;
};
constexpr Kind kRegionsCode{"code and data of the program", {0.80, 0.91, 0.80}},
    kRegionsLibrary{"libraries", {0.88, 0.90, 0.94}}, kRegionsHeap{"heap", {0.97, 0.91, 0.62}},
    kRegionsStack{"stacks", {0.80, 0.85, 0.93}}, kRegionsOther{"other memory", {0.93, 0.93, 0.93}},
    kRegionsKept{"kept free", {0.99, 0.99, 0.99}};
constexpr const Kind* kKinds[] = {&kRegionsCode,  &kRegionsLibrary, &kRegionsHeap,
                                  &kRegionsStack, &kRegionsOther,   &kRegionsKept};

struct RegionBox {
    std::uint64_t begin = 0, end = 0;
    std::string what, permissions;
    const Kind* kind = &kRegionsOther;
    std::vector<std::string> pointers;
    double y = 0, height = 0;
};

const Kind* kind_of(const RegionRow& row, const std::string& program) {
    if (row.permissions.starts_with("---")) return &kRegionsKept;
    if (row.what.find("heap") != std::string::npos) return &kRegionsHeap;
    if (row.what.find("stack") != std::string::npos) return &kRegionsStack;
    if (row.file.empty()) return &kRegionsOther;
    return row.file == program ? &kRegionsCode : &kRegionsLibrary;
}

std::string short_size(std::uint64_t bytes) {
    const char* units[] = {"bytes", "kB", "MB", "GB", "TB"};
    double size = static_cast<double>(bytes);
    std::size_t unit = 0;
    while (size >= 10'000 && unit + 1 < std::size(units)) {
        size /= 1000;
        ++unit;
    }
    return fmt::format("{:.0f} {}", size, units[unit]);
}

// From the highest address down.
std::vector<RegionBox> boxes_of(const RegionsDrawing& drawing) {
    std::vector<RegionBox> boxes;
    std::string program;
    for (const RegionRow& row : drawing.regions.rows)
        if (program.empty() && !row.file.empty()) program = row.file;
    for (auto row = drawing.regions.rows.rbegin(); row != drawing.regions.rows.rend(); ++row) {
        bool is_same = !boxes.empty() && boxes.back().begin == row->end && !row->file.empty() &&
                       boxes.back().what == std::filesystem::path(row->file).filename().string();
        if (is_same) {
            boxes.back().begin = row->begin;
            if (boxes.back().permissions.find(row->permissions) == std::string::npos)
                boxes.back().permissions += " " + row->permissions;
            continue;
        }
        RegionBox box{row->begin, row->end, "", row->permissions, kind_of(*row, program), {}, 0, 0};
        box.what =
            row->file.empty() ? row->what : std::filesystem::path(row->file).filename().string();
        boxes.push_back(std::move(box));
    }
    for (const auto& pointer : drawing.pointers)
        for (RegionBox& box : boxes)
            if (pointer.to >= box.begin && pointer.to < box.end)
                box.pointers.push_back(fmt::format("{} = {:#x}", pointer.name, pointer.to));
    return boxes;
}

// Libraries that nothing leads to are dropped first where there are too many.
std::size_t drop_some(std::vector<RegionBox>& boxes) {
    std::size_t before = boxes.size();
    while (boxes.size() > kRegionsMostBoxes) {
        auto last = std::find_if(boxes.rbegin(), boxes.rend(), [](const RegionBox& box) {
            return box.pointers.empty() &&
                   (box.kind == &kRegionsLibrary || box.kind == &kRegionsOther ||
                    box.kind == &kRegionsKept);
        });
        if (last == boxes.rend()) break;
        boxes.erase(std::next(last).base());
    }
    return before - boxes.size();
}

}  // namespace

void draw_regions(const RegionsDrawing& drawing, const std::filesystem::path& file) {
    std::vector<RegionBox> boxes = boxes_of(drawing);
    std::size_t dropped = drop_some(boxes);
    double y = kRegionsTop;
    for (std::size_t i = 0; i < boxes.size(); ++i) {
        if (i && boxes[i].end != boxes[i - 1].begin) y += kRegionsHole;
        boxes[i].y = y;
        double by_size =
            20 + 3.2 * std::log2(1 + static_cast<double>(boxes[i].end - boxes[i].begin) / 4096);
        boxes[i].height = std::max(
            by_size, static_cast<double>(boxes[i].pointers.size()) * kRegionsRowHeight + 6);
        y += boxes[i].height;
    }
    write_figure(file, kRegionsWide, y + 60, drawing.caption, [&](Pen& pen) {
        pen.strong_text(kRegionsSide, 38, "the address space", 17, kInk);
        std::string words = fmt::format("{} in {}", short_size(drawing.regions.total),
                                        counted(drawing.regions.rows.size(), "region"));
        if (drawing.regions.resident)
            words +=
                fmt::format(", {} of it in physical memory", short_size(drawing.regions.resident));
        if (dropped) words += fmt::format("; {} are left out", counted(dropped, "region"));
        pen.text(kRegionsSide, 58, words + "; heights grow with the logarithm of the size", 11,
                 kFaint);
        if (!drawing.pointers.empty())
            pen.text(kRegionsSide + kRegionsAddresses + kRegionsBarWidth + 20, kRegionsTop - 10,
                     pen.fitted("the pointers of " + drawing.function, 500, 10.5), 10.5, kFaint);
        double x = kRegionsSide + kRegionsAddresses;
        for (std::size_t i = 0; i < boxes.size(); ++i) {
            const RegionBox& box = boxes[i];
            if (i && box.end != boxes[i - 1].begin) pen.text(x + 8, box.y - 5, "⋮", 10.5, kFaint);
            pen.text(kRegionsSide, box.y + 14, fmt::format("{:#x}", box.end), 10.5, kFaint);
            pen.box(x, box.y, kRegionsBarWidth, box.height, box.kind->fill);
            std::string size = short_size(box.end - box.begin);
            pen.text(x + 10, box.y + 15,
                     pen.fitted(box.what, kRegionsBarWidth - 34 - pen.width_of(size, 10.5),
                                kRegionsLetters),
                     kRegionsLetters, kInk);
            pen.text_to(x + kRegionsBarWidth - 10, box.y + 15, size, 10.5, kFaint);
            for (std::size_t each = 0; each < box.pointers.size(); ++each) {
                double at = box.y + 15 + static_cast<double>(each) * kRegionsRowHeight;
                pen.line({{x + kRegionsBarWidth + 60, at - 4}, {x + kRegionsBarWidth + 14, at - 4}},
                         1.3, kInk);
                pen.head({x + kRegionsBarWidth + 60, at - 4}, {x + kRegionsBarWidth + 4, at - 4},
                         kInk);
                pen.text(x + kRegionsBarWidth + 68, at,
                         pen.fitted(box.pointers[each], 480, kRegionsLetters), kRegionsLetters,
                         kInk);
            }
        }
        double at = kRegionsSide;
        for (const Kind* kind : kKinds) {
            bool occurs =
                std::ranges::any_of(boxes, [&](const RegionBox& box) { return box.kind == kind; });
            if (!occurs) continue;
            pen.box(at, y + 26, 16, 12, kind->fill);
            pen.text(at + 22, y + 36, kind->words, 10.5, kInk);
            at += 44 + pen.width_of(kind->words, 10.5);
        }
        std::vector<std::string> nowhere, null;
        for (const auto& pointer : drawing.pointers) {
            bool is_shown = std::ranges::any_of(boxes, [&](const RegionBox& box) {
                return pointer.to >= box.begin && pointer.to < box.end;
            });
            if (!pointer.to)
                null.push_back(pointer.name);
            else if (!is_shown)
                nowhere.push_back(fmt::format("{} = {:#x}", pointer.name, pointer.to));
        }
        std::string told =
            nowhere.empty() ? "" : "✕ they lead nowhere: " + join_with(nowhere, "and");
        if (!null.empty()) told += (told.empty() ? "null: " : "; null: ") + join_with(null, "and");
        pen.text(kRegionsSide, y + 56, pen.fitted(told, kRegionsWide - 2 * kRegionsSide, 11), 11,
                 nowhere.empty() ? kFaint : kAlarm);
    });
}

}  // namespace lantern::cli
