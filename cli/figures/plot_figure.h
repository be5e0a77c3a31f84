// Draws series of numbers over a common x axis. Series whose sizes lie far apart get panels of
// their own, one below the other.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/analysis/plot_report.h"

namespace lantern::cli {

// Which series share a panel, by their numbers: the largest first.
std::vector<std::vector<std::size_t>> panels_of(const std::vector<PlotSeries>& series);

// The ending of the file picks the form. Throws RequestError for another ending, FileError when the
// file cannot be written.
void draw_plot(const PlotReport& report, const std::filesystem::path& file);

}  // namespace lantern::cli
