#include "cli/figure.h"

#include <cairo-svg.h>
#include <cairo.h>
#include <fmt/format.h>

#include "cli/saved_file.h"
#include "core/support/error.h"

namespace lantern::cli {

void Pen::use(const Colour& colour) {
    cairo_set_source_rgb(context_, colour.red, colour.green, colour.blue);
}

void Pen::use_letters(double size, bool are_strong) {
    cairo_select_font_face(context_, "DejaVu Sans Mono", CAIRO_FONT_SLANT_NORMAL,
                           are_strong ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(context_, size);
}

void Pen::text(double x, double y, const std::string& words, double size, const Colour& colour) {
    use_letters(size, false);
    use(colour);
    cairo_move_to(context_, x, y);
    cairo_show_text(context_, words.c_str());
}

void Pen::strong_text(double x, double y, const std::string& words, double size,
                      const Colour& colour) {
    use_letters(size, true);
    use(colour);
    cairo_move_to(context_, x, y);
    cairo_show_text(context_, words.c_str());
}

double Pen::width_of(const std::string& words, double size) {
    use_letters(size, false);
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

void Pen::box(double x, double y, double width, double height, const Colour& fill) {
    use(fill);
    cairo_rectangle(context_, x, y, width, height);
    cairo_fill_preserve(context_);
    use(kFaint);
    cairo_set_line_width(context_, 0.6);
    cairo_stroke(context_);
}

void Pen::fill(double x, double y, double width, double height, const Colour& fill) {
    use(fill);
    cairo_rectangle(context_, x, y, width, height);
    cairo_fill(context_);
}

void Pen::frame(double x, double y, double width, double height) {
    use(kInk);
    cairo_set_line_width(context_, 1.6);
    cairo_rectangle(context_, x, y, width, height);
    cairo_stroke(context_);
}

void Pen::arrow_down(double x, double from, double to) {
    constexpr double kHead = 7;
    use(kInk);
    cairo_set_line_width(context_, 1.4);
    cairo_move_to(context_, x, from);
    cairo_line_to(context_, x, to - kHead);
    cairo_stroke(context_);
    cairo_move_to(context_, x - kHead / 2, to - kHead);
    cairo_line_to(context_, x + kHead / 2, to - kHead);
    cairo_line_to(context_, x, to);
    cairo_fill(context_);
}

namespace {

cairo_status_t append(void* closure, const unsigned char* bytes, unsigned size) {
    static_cast<std::string*>(closure)->append(reinterpret_cast<const char*>(bytes), size);
    return CAIRO_STATUS_SUCCESS;
}

}  // namespace

void write_figure(const std::filesystem::path& file, double width, double height,
                  const std::function<void(Pen& pen)>& draw) {
    bool is_svg = file.extension() == ".svg";
    if (!is_svg && file.extension() != ".png")
        throw RequestError(fmt::format("{} has no ending that picks a form", file.string()),
                           "end it in .svg or .png");
    std::string content;
    cairo_surface_t* surface =
        is_svg ? cairo_svg_surface_create_for_stream(append, &content, width, height)
               : cairo_image_surface_create(CAIRO_FORMAT_RGB24, static_cast<int>(width),
                                            static_cast<int>(height));
    cairo_t* context = cairo_create(surface);
    Pen pen(context);
    cairo_set_source_rgb(context, kPaper.red, kPaper.green, kPaper.blue);
    cairo_paint(context);
    draw(pen);
    cairo_destroy(context);
    cairo_status_t status = cairo_surface_status(surface);
    if (!is_svg && status == CAIRO_STATUS_SUCCESS)
        status = cairo_surface_write_to_png_stream(surface, append, &content);
    cairo_surface_finish(surface);
    cairo_surface_destroy(surface);
    if (status != CAIRO_STATUS_SUCCESS)
        throw FileError(
            fmt::format("{} cannot be drawn: {}", file.string(), cairo_status_to_string(status)));
    write_whole_file(file, content);
}

}  // namespace lantern::cli
