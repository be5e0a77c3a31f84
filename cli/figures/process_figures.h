// Draws what a process is made of: its stack to scale, its threads, its address space, the code of
// a function.
#pragma once

#include <filesystem>

#include "core/analysis/process_drawing.h"

namespace lantern::cli {

// The ending of each file picks the form. They throw RequestError for another ending or where there
// is nothing to draw, FileError when the file cannot be written.
void draw_stack(const StackDrawing& drawing, const std::filesystem::path& file);
void draw_threads(const ThreadsDrawing& drawing, const std::filesystem::path& file);
void draw_regions(const RegionsDrawing& drawing, const std::filesystem::path& file);
void draw_code(const CodeDrawing& drawing, const std::filesystem::path& file);

}  // namespace lantern::cli
