// What pictures are drawn with: shapes and words on a page, one look for all of them.
//
//     write_figure(file, 620, 400, caption, [&](Pen& pen) {
//         pen.box(30, 80, 200, 50, kBlock);            a Pen keeps shapes in a list …
//         pen.text(44, 101, "barge", 14, kInk);
//     });                                              … which is written as SVG or by Cairo as PNG
//
// In an SVG texts are texts, and a reader whose screen is dark sees the same picture on a dark
// page: each colour has a counterpart of the same hue with its lightness turned over.
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "core/support/text.h"

typedef struct _cairo cairo_t;

namespace lantern::cli {

struct Colour {
    double red, green, blue;
};
constexpr Colour kDamaged{0.93, 0.58, 0.54}, kInk{0.13, 0.16, 0.20}, kFaint{0.36, 0.39, 0.44},
    kPaper{1, 1, 1}, kAlarm{0.70, 0.13, 0.09}, kGridLine{0.87, 0.89, 0.91};
// Of data, in this order: apart for every colour vision, and of different lightness in grey.
constexpr Colour kSeries[] = {{0.00, 0.45, 0.70}, {0.84, 0.37, 0.00}, {0.00, 0.62, 0.45},
                              {0.80, 0.47, 0.65}, {0.55, 0.42, 0.00}, {0.20, 0.20, 0.25}};

struct Point {
    double x, y;
};

// One shape of a picture. Lengths are in points, from the upper left corner.
struct Shape {
    enum class Kind { area, line, curve, text } kind = Kind::area;
    std::vector<Point> points;  // of an area its corners; of a curve a cubic one's four
    Colour colour = kInk;
    double width = 0;  // of a line
    bool is_dashed = false;
    std::string words = {};  // of a text
    double size = 0;
    bool is_strong = false;
};

class Pen {
  public:
    Pen();
    ~Pen();
    Pen(const Pen&) = delete;
    Pen& operator=(const Pen&) = delete;

    void text(double x, double y, const std::string& words, double size, const Colour& colour);
    void strong_text(double x, double y, const std::string& words, double size,
                     const Colour& colour);
    // So that it ends at `x`; so that its middle is there.
    void text_to(double x, double y, const std::string& words, double size, const Colour& colour);
    void text_around(double x, double y, const std::string& words, double size,
                     const Colour& colour);
    double width_of(const std::string& words, double size);
    // As much of the words as the room takes, with "…" where something was cut.
    std::string fitted(std::string words, double room, double size);
    void box(double x, double y, double width, double height, const Colour& fill);
    void fill(double x, double y, double width, double height, const Colour& fill);  // no border
    void frame(double x, double y, double width, double height, bool is_dashed = false);
    void arrow_down(double x, double from, double to);
    void line(const std::vector<Point>& points, double width, const Colour& colour,
              bool is_dashed = false);
    void area(const std::vector<Point>& corners, const Colour& colour);
    void curve(Point from, Point first, Point second, Point to, double width, const Colour& colour,
               bool is_dashed = false);
    // The head of an arrow that comes to `to` from the direction of `from`.
    void head(Point from, Point to, const Colour& colour);

    const std::vector<Shape>& shapes() const { return shapes_; }

  private:
    cairo_t* context_;  // owned: measures texts
    std::vector<Shape> shapes_;
};

using Drawing = std::function<void(Pen& pen)>;

// The ending of the file picks the form: .svg, .png, or .dark.png for a dark page. `caption`: the
// small line below, of what program and when; empty: none. Throws RequestError for another ending,
// FileError when it cannot be written.
void write_figure(const std::filesystem::path& file, double width, double height,
                  const std::string& caption, const Drawing& draw);
// The text of an SVG, as it stands in a page too.
std::string svg_figure(double width, double height, const std::string& caption,
                       const Drawing& draw);

}  // namespace lantern::cli
