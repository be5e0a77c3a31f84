#include "cli/figures/axis.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/support/text.h"

namespace lantern::cli {
namespace {

// 1, 2 or 5 times a power of ten: so that about so many steps fill the range.
double round_step(double range, int steps) {
    double raw = range / steps, power = std::pow(10, std::floor(std::log10(raw)));
    for (double each : {1.0, 2.0, 5.0})
        if (raw <= each * power * 1.0001) return each * power;
    return 10 * power;
}

void add_ticks(Axis& axis, int ticks) {
    axis.step = round_step(axis.high - axis.low, ticks);
    double first = std::ceil(axis.low / axis.step - 1e-9);
    for (int i = 0; i < 4 * ticks; ++i) {
        double tick = (first + i) * axis.step;
        if (tick > axis.high + axis.step * 1e-9) break;
        axis.ticks.push_back(std::abs(tick) < axis.step * 1e-9 ? 0 : tick);
    }
}

// Data that do not differ get a range around them.
void widen(double& low, double& high) {
    if (high > low) return;
    double around = low == 0 ? 1 : std::abs(low) * 0.1;
    high = low + around;
    if (low != 0) low -= around;
}

}  // namespace

std::string Axis::text_of(double tick) const {
    double size = std::max(std::abs(low), std::abs(high));
    if (size >= 1e7 || size < 1e-4) return fmt::format("{:.4g}", tick);
    int digits = std::max(0, -static_cast<int>(std::floor(std::log10(step) + 1e-9)));
    if (digits == 0 && tick >= 0)
        return with_thousands(static_cast<unsigned long long>(tick + 0.5));
    return fmt::format("{:.{}f}", tick, digits);
}

Axis axis_around(double low, double high, int ticks) {
    bool is_never_below = low >= 0, is_never_above = low < 0 && high <= 0;
    widen(low, high);
    constexpr double kNearZero = 0.4;  // of the range
    if (is_never_below && low <= kNearZero * high) low = 0;
    if (is_never_above && high >= kNearZero * low) high = 0;
    double step = round_step(high - low, ticks) / 2;  // the ends may lie between two ticks
    Axis axis;
    axis.low = std::floor(low / step + 1e-9) * step;
    axis.high = std::ceil(high / step - 1e-9) * step;
    if (is_never_below) axis.low = std::max(axis.low, 0.0);
    if (is_never_above) axis.high = std::min(axis.high, 0.0);
    if (axis.high <= axis.low) axis.high = axis.low + step;
    add_ticks(axis, ticks);
    return axis;
}

Axis axis_along(double low, double high, int ticks) {
    Axis axis;
    axis.low = low;
    axis.high = high > low ? high : low + 1;
    add_ticks(axis, ticks);
    return axis;
}

}  // namespace lantern::cli
