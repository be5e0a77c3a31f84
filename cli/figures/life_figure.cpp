#include "cli/figures/life_figure.h"

#include <fmt/format.h>

#include <algorithm>

#include "cli/figures/pen.h"
#include "core/support/error.h"

namespace lantern::cli {
namespace {

constexpr double kLifeSide = 30, kLifeTop = 118, kSource = 360, kAddress = 70, kLane = 104,
                 kLifeGap = 8, kSmallLetters = 10, kLineStep = 12;
constexpr std::size_t kMostLanes = 8, kMostInstructions = 1'500;
constexpr Colour kBand{0.955, 0.96, 0.965}, kMarker{0.80, 0.42, 0.10}, kEmpty{0.985, 0.985, 0.985};

struct LifeLook {
    PlaceKind kind;
    Colour fill;
    const char* meaning;
};
constexpr LifeLook kLifeLooks[] = {
    {PlaceKind::in_register, {0.80, 0.85, 0.93}, "in a register"},
    {PlaceKind::in_memory, {0.80, 0.91, 0.80}, "in memory"},
    {PlaceKind::constant, {0.97, 0.91, 0.62}, "a constant"},
    {PlaceKind::computed, {0.93, 0.80, 0.66}, "computed when asked"},
    {PlaceKind::split, {0.88, 0.82, 0.92}, "in several places"},
    {PlaceKind::nowhere, kEmpty, "nowhere"},
};
Colour fill_of(PlaceKind kind) {
    for (const LifeLook& look : kLifeLooks)
        if (look.kind == kind) return look.fill;
    return kEmpty;
}

// "rax" of "in rax"; what the colour says already is left out.
std::string short_place(const LifeStretch& stretch) {
    switch (stretch.kind) {
        case PlaceKind::in_register: return stretch.place.substr(3);
        case PlaceKind::in_memory:
            return stretch.place.starts_with("on the stack") ? "stack" : "memory";
        case PlaceKind::computed:
            return stretch.place.starts_with("what it was") ? "as passed" : "computed";
        case PlaceKind::constant: return "constant";
        default: return stretch.place.substr(stretch.place.find(' ') + 1);
    }
}

class LifePicture {
  public:
    explicit LifePicture(const VariableLife& life)
        : life_(life),
          lanes_(std::min(life.lanes.size(), kMostLanes)),
          step_(std::clamp(
              640.0 / static_cast<double>(std::max<std::size_t>(life.instructions.size(), 1)), 4.0,
              16.0)) {}

    double width() const {
        return 2 * kLifeSide + kSource + kAddress +
               static_cast<double>(lanes_) * (kLane + kLifeGap);
    }
    double height() const { return y_of(life_.instructions.size()) + kLifeSide; }

    void draw(Pen& pen) const {
        pen.strong_text(kLifeSide, 38,
                        fmt::format("where the variables of {} live", life_.function), 17, kInk);
        draw_legend(pen);
        draw_lines(pen);
        for (std::size_t i = 0; i < lanes_; ++i) draw_lane(pen, life_.lanes[i], lane_x(i));
        draw_here(pen);
    }

  private:
    double y_of(std::size_t instruction) const {
        return kLifeTop + static_cast<double>(instruction) * step_;
    }
    double lane_x(std::size_t lane) const {
        return kLifeSide + kSource + kAddress + static_cast<double>(lane) * (kLane + kLifeGap);
    }

    bool occurs(PlaceKind kind) const {
        if (kind == PlaceKind::nowhere) return true;  // what no stretch covers
        return std::ranges::any_of(life_.lanes, [&](const VariableLane& lane) {
            return std::ranges::any_of(
                lane.stretches, [&](const LifeStretch& stretch) { return stretch.kind == kind; });
        });
    }

    void draw_legend(Pen& pen) const {
        double x = kLifeSide;
        for (const LifeLook& look : kLifeLooks) {
            if (!occurs(look.kind)) continue;
            pen.box(x, 54, 14, 12, look.fill);
            pen.text(x + 20, 64, look.meaning, kSmallLetters, kFaint);
            x += 38 + pen.width_of(look.meaning, kSmallLetters);
        }
        if (life_.lanes.size() > lanes_)
            pen.text(x, 64, fmt::format("{} more are not drawn", life_.lanes.size() - lanes_),
                     kSmallLetters, kFaint);
    }

    // Each run of instructions of one line, its number and text where there is room.
    void draw_lines(Pen& pen) const {
        double room_from = 0;
        bool is_banded = false;
        for (std::size_t i = 0; i < life_.instructions.size();) {
            std::size_t end = i + 1;
            while (end < life_.instructions.size() &&
                   life_.instructions[end].line == life_.instructions[i].line)
                ++end;
            double top = y_of(i), bottom = y_of(end);
            if ((is_banded = !is_banded))
                pen.fill(kLifeSide, top, width() - 2 * kLifeSide, bottom - top, kBand);
            const LifeInstruction& first = life_.instructions[i];
            if (top >= room_from) {
                std::string words =
                    first.line ? fmt::format("{:>4}  {}", first.line, first.text) : "no line";
                pen.text(kLifeSide + 16, top + 10,
                         pen.fitted(escape_for_display(words), kSource - 30, kSmallLetters),
                         kSmallLetters, kInk);
                pen.text(kLifeSide + kSource, top + 10,
                         fmt::format("{:#x}", first.address.value & 0xffffff), kSmallLetters,
                         kFaint);
                room_from = top + kLineStep;
            }
            i = end;
        }
    }

    void draw_lane(Pen& pen, const VariableLane& lane, double x) const {
        pen.strong_text(x, kLifeTop - 12, pen.fitted(escape_for_display(lane.name), kLane, 12), 12,
                        kInk);
        pen.box(x, kLifeTop, kLane, y_of(life_.instructions.size()) - kLifeTop, kEmpty);
        for (const LifeStretch& stretch : lane.stretches) {
            double top = y_of(stretch.first), bottom = y_of(stretch.last + 1);
            pen.box(x, top, kLane, bottom - top, fill_of(stretch.kind));
            if (bottom - top >= kLineStep)
                pen.text(x + 6, top + 10,
                         pen.fitted(short_place(stretch), kLane - 12, kSmallLetters), kSmallLetters,
                         kInk);
        }
    }

    void draw_here(Pen& pen) const {
        double y = y_of(life_.here);
        pen.fill(kLifeSide, y - 0.75, width() - 2 * kLifeSide, 1.5, kMarker);
        pen.text(kLifeSide, y + 10, "◆", 11, kMarker);
    }

    const VariableLife& life_;
    const std::size_t lanes_;
    const double step_;  // of an instruction
};

}  // namespace

void draw_life(const VariableLife& life, const std::string& caption,
               const std::filesystem::path& file) {
    if (life.instructions.size() > kMostInstructions)
        throw RequestError(fmt::format("{} has {} instructions, too many for a picture",
                                       life.function, with_thousands(life.instructions.size())),
                           "explain tells the same as a table");
    LifePicture picture(life);
    write_figure(file, picture.width(), picture.height(), caption,
                 [&](Pen& pen) { picture.draw(pen); });
}

}  // namespace lantern::cli
