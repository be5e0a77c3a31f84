// Writes the shapes of a picture: as SVG, where texts stay texts, and by Cairo as PNG.
#include <cairo.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "cli/figures/pen.h"
#include "cli/saved_file.h"
#include "cli/views/page.h"
#include "core/support/error.h"

namespace lantern::cli {
namespace {

constexpr double kCaptionRoom = 24, kCaptionLetters = 10, kCaptionSide = 12;

unsigned eight_bits(double part) {
    return static_cast<unsigned>(std::lround(std::clamp(part, 0.0, 1.0) * 255));
}

std::string hex_of(const Colour& colour) {
    return fmt::format("{:02x}{:02x}{:02x}", eight_bits(colour.red), eight_bits(colour.green),
                       eight_bits(colour.blue));
}

// The same hue with its lightness turned over; the page itself is not quite black.
Colour on_dark(const Colour& colour) {
    constexpr double kDarkest = 0.09, kLightest = 0.93;
    double most = std::max({colour.red, colour.green, colour.blue}),
           least = std::min({colour.red, colour.green, colour.blue});
    double lightness = (most + least) / 2;
    double turned = kDarkest + (1 - lightness) * (kLightest - kDarkest);
    double room = std::min(lightness, 1 - lightness), room_now = std::min(turned, 1 - turned);
    double scale = room > 0 ? std::min(room_now / room, 1.0) : 0;
    auto part = [&](double each) { return turned + (each - lightness) * scale; };
    return {part(colour.red), part(colour.green), part(colour.blue)};
}

std::string points_text(const std::vector<Point>& points) {
    std::string out;
    for (const Point& point : points)
        out += fmt::format("{}{:.1f},{:.1f}", out.empty() ? "" : " ", point.x, point.y);
    return out;
}

std::string svg_of(const Shape& shape) {
    std::string hex = hex_of(shape.colour);
    std::string stroke = fmt::format("class=\"s{}\" stroke-width=\"{:.1f}\"{}", hex, shape.width,
                                     shape.is_dashed ? " stroke-dasharray=\"4 3\"" : "");
    switch (shape.kind) {
        case Shape::Kind::area: {
            const auto& p = shape.points;
            bool is_upright = p.size() == 4 && p[0].y == p[1].y && p[1].x == p[2].x &&
                              p[2].y == p[3].y && p[3].x == p[0].x;
            if (is_upright)
                return fmt::format(
                    "<rect class=\"f{}\" x=\"{:.1f}\" y=\"{:.1f}\" width=\"{:.1f}\" "
                    "height=\"{:.1f}\"/>\n",
                    hex, p[0].x, p[0].y, p[2].x - p[0].x, p[2].y - p[0].y);
            return fmt::format("<polygon class=\"f{}\" points=\"{}\"/>\n", hex, points_text(p));
        }
        case Shape::Kind::line:
            return fmt::format("<polyline {} points=\"{}\"/>\n", stroke, points_text(shape.points));
        case Shape::Kind::curve: {
            const auto& p = shape.points;
            return fmt::format(
                "<path {} d=\"M{:.1f},{:.1f} C{:.1f},{:.1f} {:.1f},{:.1f} {:.1f},{:.1f}\"/>\n",
                stroke, p[0].x, p[0].y, p[1].x, p[1].y, p[2].x, p[2].y, p[3].x, p[3].y);
        }
        case Shape::Kind::text:
            return fmt::format(
                "<text class=\"f{}\" x=\"{:.1f}\" y=\"{:.1f}\" font-size=\"{:g}\"{}>{}</text>\n",
                hex, shape.points[0].x, shape.points[0].y, shape.size,
                shape.is_strong ? " font-weight=\"bold\"" : "", html(shape.words));
    }
    return {};
}

// Names are made of the colours, so that several pictures in one page agree.
std::string colours_text(const std::vector<Shape>& shapes) {
    std::set<std::pair<bool, std::string>> seen;
    std::string light, dark;
    auto add = [&](bool is_stroke, const Colour& colour) {
        std::string hex = hex_of(colour);
        if (!seen.insert({is_stroke, hex}).second) return;
        const char* form =
            is_stroke ? ".lantern .s{0}{{stroke:#{1};fill:none}}" : ".lantern .f{0}{{fill:#{1}}}";
        light += fmt::format(fmt::runtime(form), hex, hex);
        dark += fmt::format(fmt::runtime(form), hex, hex_of(on_dark(colour)));
    };
    add(false, kPaper);
    for (const Shape& shape : shapes)
        add(shape.kind == Shape::Kind::line || shape.kind == Shape::Kind::curve, shape.colour);
    return fmt::format(
        "<style>.lantern text{{white-space:pre}}{}@media "
        "(prefers-color-scheme:dark){{{}}}</style>\n",
        light, dark);
}

void take_colour(cairo_t* context, const Colour& colour) {
    cairo_set_source_rgb(context, colour.red, colour.green, colour.blue);
}

void draw_by_cairo(cairo_t* context, const Shape& shape) {
    take_colour(context, shape.colour);
    if (shape.kind == Shape::Kind::text) {
        cairo_select_font_face(context, "DejaVu Sans Mono", CAIRO_FONT_SLANT_NORMAL,
                               shape.is_strong ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
        cairo_set_font_size(context, shape.size);
        cairo_move_to(context, shape.points[0].x, shape.points[0].y);
        cairo_show_text(context, shape.words.c_str());
        return;
    }
    const auto& p = shape.points;
    cairo_move_to(context, p[0].x, p[0].y);
    if (shape.kind == Shape::Kind::curve)
        cairo_curve_to(context, p[1].x, p[1].y, p[2].x, p[2].y, p[3].x, p[3].y);
    else
        for (std::size_t i = 1; i < p.size(); ++i) cairo_line_to(context, p[i].x, p[i].y);
    if (shape.kind == Shape::Kind::area) return cairo_fill(context);
    constexpr double kDash[] = {4, 3};
    cairo_set_dash(context, kDash, shape.is_dashed ? 2 : 0, 0);
    cairo_set_line_width(context, shape.width);
    cairo_set_line_join(context, CAIRO_LINE_JOIN_ROUND);
    cairo_stroke(context);
}

cairo_status_t append(void* closure, const unsigned char* bytes, unsigned size) {
    static_cast<std::string*>(closure)->append(reinterpret_cast<const char*>(bytes), size);
    return CAIRO_STATUS_SUCCESS;
}

std::string png_figure(double width, double height, const std::vector<Shape>& shapes,
                       const Colour& paper, const std::filesystem::path& file) {
    std::string content;
    cairo_surface_t* surface = cairo_image_surface_create(
        CAIRO_FORMAT_RGB24, static_cast<int>(width), static_cast<int>(height));
    cairo_t* context = cairo_create(surface);
    take_colour(context, paper);
    cairo_paint(context);
    for (const Shape& shape : shapes) draw_by_cairo(context, shape);
    cairo_destroy(context);
    cairo_status_t status = cairo_surface_status(surface);
    if (status == CAIRO_STATUS_SUCCESS)
        status = cairo_surface_write_to_png_stream(surface, append, &content);
    cairo_surface_destroy(surface);
    if (status != CAIRO_STATUS_SUCCESS)
        throw FileError(
            fmt::format("{} cannot be drawn: {}", file.string(), cairo_status_to_string(status)),
            "end it in .svg: that has no greatest size");
    return content;
}

void draw_with_caption(Pen& pen, double width, double height, const std::string& caption,
                       const Drawing& draw) {
    draw(pen);
    pen.text(kCaptionSide, height + kCaptionRoom - 10,
             pen.fitted(caption, width - 2 * kCaptionSide, kCaptionLetters), kCaptionLetters,
             kFaint);
}

double with_caption(double height, const std::string& caption) {
    return caption.empty() ? height : height + kCaptionRoom;
}

}  // namespace

std::string svg_figure(double width, double height, const std::string& caption,
                       const Drawing& draw) {
    Pen pen;
    draw_with_caption(pen, width, height, caption, draw);
    std::string out = fmt::format(
        "<svg class=\"lantern\" xmlns=\"http://www.w3.org/2000/svg\" width=\"{0:.0f}\" "
        "height=\"{1:.0f}\" viewBox=\"0 0 {0:.0f} {1:.0f}\" role=\"img\" "
        "font-family=\"'DejaVu Sans Mono',monospace\" xml:space=\"preserve\">\n",
        width, with_caption(height, caption));
    out += colours_text(pen.shapes());
    out += fmt::format("<rect class=\"f{}\" width=\"100%\" height=\"100%\"/>\n", hex_of(kPaper));
    for (const Shape& shape : pen.shapes()) out += svg_of(shape);
    return out + "</svg>\n";
}

void write_figure(const std::filesystem::path& file, double width, double height,
                  const std::string& caption, const Drawing& draw) {
    if (file.extension() == ".svg")
        return write_whole_file(file, svg_figure(width, height, caption, draw));
    if (file.extension() != ".png")
        throw RequestError(fmt::format("{} has no ending that picks a form", file.string()),
                           "end it in .svg, .png or .dark.png");
    Pen pen;
    draw_with_caption(pen, width, height, caption, draw);
    std::vector<Shape> shapes = pen.shapes();
    bool is_dark = file.stem().extension() == ".dark";
    if (is_dark)
        for (Shape& shape : shapes) shape.colour = on_dark(shape.colour);
    write_whole_file(file, png_figure(width, with_caption(height, caption), shapes,
                                      is_dark ? on_dark(kPaper) : kPaper, file));
}

}  // namespace lantern::cli
