// What is drawn, for who looks at it in a terminal.
#include <fmt/format.h>

#include <cmath>

#include "cli/figures/structure_figure.h"
#include "cli/views/block_chart.h"
#include "cli/views/text.h"
#include "core/analysis/numbers_report.h"
#include "core/analysis/plot_report.h"
#include "core/analysis/structure_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::string shape_words(const StructureReport& report) {
    switch (report.shape) {
        case StructureShape::chain: return fmt::format("a chain of {}", report.chain.size());
        case StructureShape::tree: return fmt::format("a tree of {}", report.boxes.size());
        case StructureShape::graph: return fmt::format("a graph of {}", report.boxes.size());
        case StructureShape::single: break;
    }
    return "alone";
}

std::string row_words(const StructureRow& row, const Style& style) {
    std::string words = escape_for_display(row.value);
    if (row.to) words = fmt::format("→ {}", row.to);
    if (!row.into.empty()) words += " " + row.into;
    if (row.state == PointerState::cut)
        words = row.behind ? fmt::format("… {} more behind", with_thousands(row.behind)) : "… more";
    bool is_bad = row.state == PointerState::nowhere || row.state == PointerState::freed ||
                  row.state == PointerState::too_small;
    if (is_bad) words = style.warning("× " + words);
    if (!row.remark.empty()) words += "  " + (is_bad ? style.warning(row.remark) : row.remark);
    if (!row.before.empty() && row.to)
        words += style.changed("  was " + escape_for_display(row.before));
    else if (!row.before.empty() && row.before != row.value)
        words = style.changed(escape_for_display(row.before) + " → ") + words;
    return words;
}

std::string number_words(const NumbersReport& report, double value) {
    return report.is_whole ? fmt::format("{:.0f}", value) : fmt::format("{:g}", value);
}

std::vector<std::optional<double>> sound_values(const NumbersReport& report) {
    std::vector<std::optional<double>> values;
    for (std::size_t i = 0; i < report.values.size(); ++i)
        values.push_back(report.marks[i] == NumberMark::sound ? std::optional(report.values[i])
                                                              : std::nullopt);
    return values;
}

std::string bins_text(const NumbersReport& report, const Style& style) {
    std::uint64_t most = 1;
    for (const auto& bin : report.bins) most = std::max(most, bin.count);
    std::string out;
    constexpr double kWidest = 50;
    for (const auto& bin : report.bins) {
        auto length = static_cast<std::size_t>(
            std::ceil(kWidest * static_cast<double>(bin.count) / static_cast<double>(most)));
        std::string bar;
        for (std::size_t i = 0; i < length; ++i) bar += "█";
        out += fmt::format("{:>12} {} {}\n", number_words(report, bin.from), bar,
                           style.faint(with_thousands(bin.count)));
    }
    return out;
}

// Small fields as they are, larger ones by tones.
std::string field_text(const NumbersReport& report) {
    constexpr const char* kTones[] = {"·", "░", "▒", "▓", "█"};
    constexpr std::uint64_t kMost = 64;
    std::uint64_t rows = report.extent[0], columns = report.extent[1];
    std::uint64_t together = (std::max(rows, columns) + kMost - 1) / kMost;
    std::string out;
    for (std::uint64_t row = 0; row * together < rows; ++row) {
        std::string line =
            fmt::format("{:>8} ", report.first + static_cast<std::int64_t>(row * together));
        for (std::uint64_t column = 0; column * together < columns; ++column) {
            NumbersCell cell = cell_of(report, row, column, together);
            double range = report.high - report.low;
            auto tone = static_cast<std::size_t>(
                range > 0 ? std::min(4.0, (cell.value - report.low) / range * 5) : 2);
            line += cell.mark == NumberMark::sound     ? kTones[tone]
                    : cell.mark == NumberMark::missing ? " "
                                                       : "×";
        }
        out += line + "\n";
    }
    return out;
}

}  // namespace

std::string structure_text(const StructureReport& report, const Style& style) {
    std::string out =
        heading_line(escape_for_display(report.expression), shape_words(report), style);
    for (const StructureBox& box : report.boxes) {
        std::string change = word_of(box.change);
        out +=
            fmt::format("{:>4}  {}{}{}\n", box.number, style.strong(escape_for_display(box.title)),
                        box.address.empty() ? "" : style.faint("  " + box.address),
                        change.empty() ? "" : "  " + style.changed(change));
        if (!box.problem.empty())
            out += "        " + style.warning("× " + escape_for_display(box.problem)) + "\n";
        std::size_t names = 0;
        for (const StructureRow& row : box.rows) names = std::max(names, display_width(row.name));
        names = std::min<std::size_t>(names, 32);
        for (const StructureRow& row : box.rows)
            out += fmt::format("        {}  {}\n",
                               padded(cut(escape_for_display(row.name), 32), names),
                               row_words(row, style));
        if (box.more_rows)
            out += style.faint(fmt::format("        … {} more\n", with_thousands(box.more_rows)));
    }
    if (!report.remark.empty()) out += "  " + style.warning(report.remark) + "\n";
    if (report.cut)
        out += style.faint(
            fmt::format("{}{} more boxes are left out; draw EXPR limit N shows more\n",
                        report.is_counted ? "" : "at least ", with_thousands(report.cut)));
    if (!report.since.empty())
        out +=
            fmt::format("since {}: {} new, {} changed, {} gone\n", escape_for_display(report.since),
                        report.fresh, report.changed, report.gone);
    return out;
}

std::string numbers_text(const NumbersReport& report, const Style& style) {
    std::string range = report.sound
                            ? fmt::format("from {} to {}", number_words(report, report.low),
                                          number_words(report, report.high))
                            : "no number";
    std::string out = heading_line(
        escape_for_display(report.expression),
        report.is_field()
            ? fmt::format("{} × {} {}", report.extent[0], report.extent[1], report.element)
            : fmt::format("{} {}", with_thousands(report.values.size()), report.element),
        style);
    out += !report.bins.empty() ? bins_text(report, style)
           : report.is_field()  ? field_text(report)
                                : block_chart(sound_values(report), style);
    out += range;
    if (report.not_numbers)
        out += style.warning(fmt::format("; {} not a number", with_thousands(report.not_numbers)));
    if (report.infinite)
        out += style.warning(fmt::format("; {} infinite", with_thousands(report.infinite)));
    if (report.filled)
        out += style.warning(fmt::format("; {} {}", with_thousands(report.filled), report.fill));
    if (report.left_out)
        out += fmt::format("; {} more{} left out", with_thousands(report.left_out),
                           report.is_field() ? " rows" : "");
    return out + "\n";
}

std::string plot_text(const PlotReport& report, const Style& style) {
    std::string out = heading_line(report.title, counted(report.notes, "note"), style);
    for (const PlotSeries& series : report.series) {
        std::vector<std::optional<double>> values;
        for (const PlotPoint& point : series.points) values.push_back(point.y);
        out += style.strong(escape_for_display(series.name)) + "\n" + block_chart(values, style);
    }
    out += style.faint(fmt::format("{:>10} {}\n", "", report.across));
    if (report.without_numbers)
        out += fmt::format("{} without numbers left out\n",
                           counted(report.without_numbers, "expression"));
    return out;
}

}  // namespace lantern::cli
