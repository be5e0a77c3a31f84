#include "cli/views/fold.h"

#include <vector>

#include "core/support/text.h"

namespace lantern::cli {
namespace {

// One character as it is seen, with the colours that are switched before it.
struct Glyph {
    std::string_view colours, text;
    std::size_t width = 1;
};

std::vector<Glyph> glyphs_of(std::string_view line) {
    std::vector<Glyph> glyphs;
    std::size_t at = 0;
    while (at < line.size()) {
        std::size_t start = at;
        while (at < line.size() && line[at] == '\x1b')
            at = std::min(line.find('m', at), line.size() - 1) + 1;
        std::string_view colours = line.substr(start, at - start);
        std::size_t first = at;
        if (at < line.size()) ++at;
        while (at < line.size() && (static_cast<unsigned char>(line[at]) & 0xc0) == 0x80) ++at;
        std::string_view text = line.substr(first, at - first);
        glyphs.push_back({colours, text, text.empty() ? 0 : display_width(text)});
    }
    return glyphs;
}

bool is_space(const Glyph& glyph) {
    return glyph.text == " ";
}

// Where the rest of a line starts: below the last column of it that begins in its first half, else
// a little to the right.
std::size_t indent_of(const std::vector<Glyph>& glyphs, std::size_t begin, std::size_t end,
                      std::size_t width) {
    std::size_t column = 0, leading = 0, indent = 0;
    bool has_begun = false;
    for (std::size_t i = begin; i < end; ++i) {
        bool starts_column = has_begun && !is_space(glyphs[i]) && i >= begin + 2 &&
                             is_space(glyphs[i - 1]) && is_space(glyphs[i - 2]);
        if (starts_column && column <= width / 2) indent = column;
        if (!is_space(glyphs[i]))
            has_begun = true;
        else if (!has_begun)
            ++leading;
        column += glyphs[i].width;
    }
    return indent ? indent : std::min(leading + 4, width / 2);
}

class Folding {
  public:
    Folding(std::vector<Glyph> glyphs, std::size_t width)
        : glyphs_(std::move(glyphs)), width_(width) {}

    std::string run() {
        std::size_t begin = 0, room = width_, indent = 0;
        for (;;) {
            std::size_t end = fitting(begin, room);
            if (begin == 0 && end < glyphs_.size()) indent = indent_of(glyphs_, 0, end, width_);
            write(begin, end);
            if (end == glyphs_.size()) return std::move(out_);
            if (!colour_.empty()) out_ += "\x1b[0m";
            out_ += "\n" + std::string(indent, ' ') + colour_;
            begin = end;
            while (begin < glyphs_.size() && is_space(glyphs_[begin]))
                note_colours(glyphs_[begin++]);
            room = width_ - indent;
        }
    }

  private:
    // Where the line that starts at `begin` ends: at a space, or at the end of the first word if
    // that is too wide.
    std::size_t fitting(std::size_t begin, std::size_t room) const {
        std::size_t used = 0, last_space = 0;
        bool has_word = false;
        for (std::size_t i = begin; i < glyphs_.size(); ++i) {
            if (is_space(glyphs_[i]) && has_word) last_space = i;
            if (!is_space(glyphs_[i])) has_word = true;
            used += glyphs_[i].width;
            if (used > room && last_space) return last_space;
        }
        return glyphs_.size();
    }
    void note_colours(const Glyph& glyph) {
        out_ += glyph.colours;
        for (std::size_t at = 0; at < glyph.colours.size();) {
            std::size_t end = glyph.colours.find('m', at) + 1;
            std::string_view code = glyph.colours.substr(at, end - at);
            colour_ = code == "\x1b[0m" ? "" : std::string(code);
            at = end;
        }
    }
    void write(std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            note_colours(glyphs_[i]);
            out_ += glyphs_[i].text;
        }
    }

    std::vector<Glyph> glyphs_;
    std::size_t width_;
    std::string out_, colour_;
};

}  // namespace

std::string folded_to(std::string_view text, std::size_t width) {
    std::string out;
    while (!text.empty()) {
        std::size_t end = text.find('\n');
        std::string_view line = text.substr(0, end);
        // Most lines fit: bytes are never fewer than columns.
        out += line.size() <= width ? std::string(line) : Folding(glyphs_of(line), width).run();
        if (end == std::string_view::npos) break;
        out += '\n';
        text.remove_prefix(end + 1);
    }
    return out;
}

std::string paragraphs_of(std::string_view text, std::size_t width, std::size_t indent) {
    std::string out, line;
    auto end_line = [&] {
        out += (line.empty() ? "" : std::string(indent, ' ') + line) + "\n";
        line.clear();
    };
    while (!text.empty()) {
        std::size_t end = text.find('\n');
        std::string_view words = text.substr(0, end);
        text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
        bool ends =
            words.empty() || std::string_view(".;:…").find(words.back()) != std::string_view::npos;
        while (!words.empty()) {
            std::size_t space = words.find(' ');
            std::string word(words.substr(0, space));
            words.remove_prefix(space == std::string_view::npos ? words.size() : space + 1);
            if (!line.empty() && indent + display_width(line) + 1 + display_width(word) > width)
                end_line();
            line += (line.empty() ? "" : " ") + word;
        }
        if (ends || text.empty()) end_line();
    }
    return out;
}

}  // namespace lantern::cli
