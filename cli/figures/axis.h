// The scale of an axis: where it begins and ends, and what is written along it.
#pragma once

#include <string>
#include <vector>

namespace lantern::cli {

struct Axis {
    double low = 0, high = 1;
    std::vector<double> ticks;  // within [low, high]
    double step = 1;

    double share_of(double value) const { return (value - low) / (high - low); }
    std::string text_of(double tick) const;
};

// Around data from `low` to `high`, with about so many ticks. It begins where the data do: at 0
// where they are not far from it, and never below 0 for what is never below 0.
Axis axis_around(double low, double high, int ticks);
// From one end of the data to the other, no further.
Axis axis_along(double low, double high, int ticks);

}  // namespace lantern::cli
