// Source lines as text, with our markers: ◆ next to run, ▪1 breakpoint 1, ▫1 the same while off.
#include <fmt/format.h>

#include <optional>

#include "cli/views/text.h"
#include "core/analysis/code_shape.h"
#include "core/analysis/source_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::string coloured(const std::string& text, CodeKind kind, const Style& style) {
    switch (kind) {
        case CodeKind::keyword:
        case CodeKind::directive: return style.code_keyword(text);
        case CodeKind::text: return style.code_text(text);
        case CodeKind::number: return style.code_number(text);
        case CodeKind::comment: return style.code_comment(text);
    }
    return text;
}

// A source line in so many columns, with its tabs as spaces; "…" where it was cut.
class CodeLine {
  public:
    CodeLine(const SourceRow& row, std::size_t room, const Style& style)
        : style_(style), room_(room) {
        std::size_t at = 0;
        for (const CodePart& part : row.parts) {
            add(std::string_view(row.text).substr(at, part.begin - at), std::nullopt);
            add(std::string_view(row.text).substr(part.begin, part.end - part.begin), part.kind);
            at = part.end;
        }
        add(std::string_view(row.text).substr(at), std::nullopt);
    }
    const std::string& text() const { return text_; }
    std::size_t width() const { return width_; }

  private:
    void add(std::string_view piece, std::optional<CodeKind> kind) {
        if (is_cut_ || piece.empty()) return;
        std::string shown;
        std::size_t column = width_;
        for (char c : piece) {
            std::size_t spaces = c == '\t' ? 4 - column % 4 : 0;
            if (spaces)
                shown += std::string(spaces, ' ');
            else
                shown += c;
            column += spaces ? spaces : (static_cast<unsigned char>(c) & 0xc0) != 0x80;
        }
        shown = escape_for_display(shown);
        if (width_ + display_width(shown) > room_) {
            is_cut_ = true;
            shown = cut(shown + " ", room_ > width_ ? room_ - width_ : 1);
        }
        width_ += display_width(shown);
        text_ += kind ? coloured(shown, *kind, style_) : shown;
    }

    const Style& style_;
    std::size_t room_, width_ = 0;
    std::string text_;
    bool is_cut_ = false;
};

std::string breakpoint_mark(const SourceRow& row) {
    if (row.breakpoints.empty()) return "";
    const BreakpointMark& first = row.breakpoints.front();
    return fmt::format("{}{}{}", first.is_on ? "▪" : "▫", first.number,
                       row.breakpoints.size() > 1 ? "+" : "");
}

std::string remark_on(LineState state) {
    switch (state) {
        case LineState::next: return "next to run";
        case LineState::begun: return "begun; the rest is next";
        case LineState::waiting: return "waits for this call";
        case LineState::left: return "it left by a jump here";
        case LineState::fails: return "fails here";
    }
    return {};
}

}  // namespace

std::string source_rows_text(const SourceReport& report, const Style& style) {
    constexpr std::size_t kNoLimit = 100'000, kShortest = 12;
    std::string out, remark = remark_on(report.current_state);
    std::size_t digits = report.rows.empty() ? 1 : std::to_string(report.rows.back().number).size();
    std::size_t width = std::min(style.width, 100u), start = 3 + 2 + digits + 2,
                window = style.width;
    for (const SourceRow& row : report.rows) {
        std::string mark = padded(breakpoint_mark(row), 3);
        std::string number = fmt::format("{:>{}}", row.number, digits);
        if (!row.is_current) {
            CodeLine line(row, style.folds ? std::max(window, start + kShortest) - start : kNoLimit,
                          style);
            out += style.mark(mark) + "  " + style.faint(number) + "  " + line.text() + "\n";
            continue;
        }
        // The line is cut before its remark is: what it means is said whatever the width.
        std::size_t beside = display_width(remark) + 4;
        SourceRow bare = row;
        bare.parts.clear();  // it has a colour of its own
        CodeLine line(
            bare,
            style.folds ? std::max(window, start + beside + kShortest) - start - beside : kNoLimit,
            style);
        std::string left = fmt::format("◆ {}  {}", number, line.text());
        std::size_t used = start + line.width();
        std::string gap(used + beside < width ? width - used - display_width(remark) - 1 : 3, ' ');
        out += style.mark(mark) + style.next_line(left + gap + remark) + "\n";
    }
    return out;
}

std::string source_text(const SourceReport& report, const Style& style) {
    if (report.found_at.empty()) {
        return fmt::format(
            "the source file {} is not here\n{}--source-map FROM=TO says where its folder has "
            "moved to\n",
            escape_for_display(report.file), style.faint("    next: "));
    }
    std::string right = report.rows.empty()
                            ? ""
                            : fmt::format("lines {} to {} of {}", report.rows.front().number,
                                          report.rows.back().number, report.last_line);
    std::string out =
        heading_line(short_file(report.file), right, style) + source_rows_text(report, style);
    if (report.is_stale)
        out += " " + style.warning("take care") +
               " this file is newer than the program: these lines may not be the ones that run\n";
    return out;
}

}  // namespace lantern::cli
