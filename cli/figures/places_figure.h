// Draws how much of the heap lived when, by where it was born.
#pragma once

#include <filesystem>

#include "core/analysis/heap_history_report.h"

namespace lantern::cli {

// The ending of the file picks the form: .svg or .png. Throws RequestError where nothing was
// written down over time, FileError.
void draw_places(const HeapPlacesReport& report, const std::string& caption,
                 const std::filesystem::path& file);

}  // namespace lantern::cli
