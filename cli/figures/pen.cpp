#include "cli/figures/pen.h"

#include <cairo.h>

#include <cmath>

namespace lantern::cli {
namespace {

void use_letters(cairo_t* context, double size) {
    cairo_select_font_face(context, "DejaVu Sans Mono", CAIRO_FONT_SLANT_NORMAL,
                           CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(context, size);
}

std::vector<Point> corners_of(double x, double y, double width, double height) {
    return {{x, y}, {x + width, y}, {x + width, y + height}, {x, y + height}};
}

}  // namespace

Pen::Pen() {
    cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_A8, 1, 1);
    context_ = cairo_create(surface);
    cairo_surface_destroy(surface);  // the context holds it
}

Pen::~Pen() {
    cairo_destroy(context_);
}

void Pen::text(double x, double y, const std::string& words, double size, const Colour& colour) {
    if (!words.empty())
        shapes_.push_back(
            {Shape::Kind::text, {{x, y}}, colour, 0, false, escape_for_display(words), size});
}

void Pen::strong_text(double x, double y, const std::string& words, double size,
                      const Colour& colour) {
    text(x, y, words, size, colour);
    if (!words.empty()) shapes_.back().is_strong = true;
}

void Pen::text_to(double x, double y, const std::string& words, double size, const Colour& colour) {
    text(x - width_of(words, size), y, words, size, colour);
}

void Pen::text_around(double x, double y, const std::string& words, double size,
                      const Colour& colour) {
    text(x - width_of(words, size) / 2, y, words, size, colour);
}

double Pen::width_of(const std::string& words, double size) {
    use_letters(context_, size);
    cairo_text_extents_t extents;
    cairo_text_extents(context_, words.c_str(), &extents);
    return extents.x_advance;
}

std::string Pen::fitted(std::string words, double room, double size) {
    if (width_of(words, size) <= room) return words;
    while (!words.empty() && width_of(words + "…", size) > room) {
        do words.pop_back();
        while (!words.empty() && (static_cast<unsigned char>(words.back()) & 0xc0) == 0x80);
        if (!words.empty() && static_cast<unsigned char>(words.back()) >= 0xc0) words.pop_back();
    }
    return words + "…";
}

void Pen::box(double x, double y, double width, double height, const Colour& colour) {
    fill(x, y, width, height, colour);
    auto corners = corners_of(x, y, width, height);
    corners.push_back(corners.front());
    line(corners, 0.6, kFaint);
}

void Pen::fill(double x, double y, double width, double height, const Colour& colour) {
    area(corners_of(x, y, width, height), colour);
}

void Pen::frame(double x, double y, double width, double height, bool is_dashed) {
    auto corners = corners_of(x, y, width, height);
    corners.push_back(corners.front());
    line(corners, 1.6, kInk, is_dashed);
}

void Pen::arrow_down(double x, double from, double to) {
    line({{x, from}, {x, to - 5}}, 1.4, kInk);
    head({x, from}, {x, to}, kInk);
}

void Pen::line(const std::vector<Point>& points, double width, const Colour& colour,
               bool is_dashed) {
    shapes_.push_back({Shape::Kind::line, points, colour, width, is_dashed});
}

void Pen::area(const std::vector<Point>& corners, const Colour& colour) {
    shapes_.push_back({Shape::Kind::area, corners, colour});
}

void Pen::curve(Point from, Point first, Point second, Point to, double width, const Colour& colour,
                bool is_dashed) {
    shapes_.push_back({Shape::Kind::curve, {from, first, second, to}, colour, width, is_dashed});
}

void Pen::head(Point from, Point to, const Colour& colour) {
    constexpr double kLength = 8, kHalfWidth = 3.6;
    double x = to.x - from.x, y = to.y - from.y, length = std::hypot(x, y);
    if (length == 0) return;
    x /= length;
    y /= length;
    Point back{to.x - kLength * x, to.y - kLength * y};
    area({to,
          {back.x - kHalfWidth * y, back.y + kHalfWidth * x},
          {back.x + kHalfWidth * y, back.y - kHalfWidth * x}},
         colour);
}

}  // namespace lantern::cli
