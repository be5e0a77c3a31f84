// What pictures are drawn with: words, boxes and arrows on a white page. (Drawing by Cairo.)
#pragma once

#include <filesystem>
#include <functional>
#include <string>

#include "core/support/text.h"

typedef struct _cairo cairo_t;

namespace lantern::cli {

struct Colour {
    double red, green, blue;
};
constexpr Colour kDamaged{0.93, 0.58, 0.54}, kInk{0.13, 0.16, 0.20}, kFaint{0.42, 0.45, 0.50},
    kPaper{1, 1, 1};

// Lengths are in points, from the upper left corner.
class Pen {
  public:
    explicit Pen(cairo_t* context) : context_(context) {}  // borrowed

    void text(double x, double y, const std::string& words, double size, const Colour& colour);
    void strong_text(double x, double y, const std::string& words, double size,
                     const Colour& colour);
    double width_of(const std::string& words, double size);
    // As much of the words as the room takes, with "…" where something was cut.
    std::string fitted(std::string words, double room, double size);
    void box(double x, double y, double width, double height, const Colour& fill);
    void fill(double x, double y, double width, double height, const Colour& fill);  // no border
    void frame(double x, double y, double width, double height);
    void arrow_down(double x, double from, double to);

  private:
    void use(const Colour& colour);
    void use_letters(double size, bool are_strong);

    cairo_t* context_;
};

// The ending of the file picks the form: .svg or .png. Throws RequestError for another ending,
// FileError when it cannot be written.
void write_figure(const std::filesystem::path& file, double width, double height,
                  const std::function<void(Pen& pen)>& draw);

}  // namespace lantern::cli
