// Draws series of numbers with gnuplot, to SVG or PNG.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace lantern::cli {

struct PlotSeries {
    std::string name;
    std::vector<std::pair<double, double>> points;
    bool is_whole = false;  // whole numbers hold until the next: they are drawn as steps
};

struct Plot {
    std::string title, across, up;  // what stands at the axes
    std::vector<PlotSeries> series;
};

// The ending of the file picks the form. Throws RequestError for another ending or where gnuplot is
// missing, FileError when the file cannot be written.
void draw_plot(const Plot& plot, const std::filesystem::path& file);

}  // namespace lantern::cli
