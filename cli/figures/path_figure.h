// Draws by which pointers a block of the heap is kept: the variable on top, the block below.
#pragma once

#include <filesystem>

#include "core/analysis/heap_report.h"

namespace lantern::cli {

// The ending of the file picks the form: .svg or .png. Throws RequestError for another ending,
// FileError when it cannot be written.
void draw_path(const HeapPathReport& report, const std::string& caption,
               const std::filesystem::path& file);

}  // namespace lantern::cli
