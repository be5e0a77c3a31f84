// Draws numbers that lie in a row as a line or a histogram, rows of rows as a field of tones.
#pragma once

#include <filesystem>

#include "core/analysis/numbers_report.h"

namespace lantern::cli {

// The ending of the file picks the form. Throws RequestError for another ending, FileError when the
// file cannot be written.
void draw_numbers(const NumbersReport& report, const std::filesystem::path& file);

}  // namespace lantern::cli
