#include "cli/views/block_chart.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cli/figures/axis.h"
#include "cli/views/text.h"

namespace lantern::cli {
namespace {

constexpr int kRows = 10, kLevels = 8;  // eighths of a letter
constexpr std::size_t kWidest = 100, kBeside = 14;
constexpr const char* kEighths[] = {" ", "▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"};

// The largest of each column's numbers.
std::vector<std::optional<double>> columns_of(const std::vector<std::optional<double>>& values,
                                              std::size_t width) {
    std::size_t count = std::min(width, values.size());
    std::vector<std::optional<double>> columns(count);
    for (std::size_t i = 0; i < values.size(); ++i) {
        auto& column = columns[i * count / values.size()];
        if (values[i] && std::isfinite(*values[i]) && (!column || *column < *values[i]))
            column = values[i];
    }
    return columns;
}

}  // namespace

std::string block_chart(const std::vector<std::optional<double>>& values, const Style& style) {
    std::size_t room = std::min<std::size_t>(style.width, kWidest);
    auto columns = columns_of(values, room > 2 * kBeside ? room - kBeside : kBeside);
    double low = 0, high = 0;
    bool has_any = false;
    for (const auto& each : columns) {
        if (!each) continue;
        low = has_any ? std::min(low, *each) : *each;
        high = has_any ? std::max(high, *each) : *each;
        has_any = true;
    }
    if (!has_any) return "no number to draw\n";
    Axis axis = axis_around(low, high, 4);
    std::size_t wide =
        std::max<std::size_t>(1, std::min<std::size_t>(4, (room - kBeside) / columns.size()));
    std::string out;
    for (int row = kRows - 1; row >= 0; --row) {
        bool is_labelled = row == kRows - 1 || row == 0 || row == kRows / 2 - 1;
        double at = axis.low + (axis.high - axis.low) * (row == 0 ? 0 : row + 1.0) / kRows;
        std::string line = fmt::format("{:>10} ", is_labelled ? fmt::format("{:.5g}", at) : "");
        for (const auto& column : columns) {
            int eighths = 0;
            if (column) {
                double levels = axis.share_of(*column) * kRows * kLevels - row * kLevels;
                eighths = static_cast<int>(std::lround(std::clamp(levels, 0.0, 8.0)));
                if (row == 0) eighths = std::max(eighths, 1);  // there is something, be it nothing
            }
            for (std::size_t i = 0; i < wide; ++i) line += kEighths[eighths];
        }
        out += line.substr(0, line.find_last_not_of(' ') + 1) + "\n";
    }
    return out;
}

}  // namespace lantern::cli
