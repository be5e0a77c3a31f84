// Draws stack frames to scale, one or several side by side: a picture for a page or a slide.
// (Drawing by Cairo.)
#pragma once

#include <filesystem>

#include "core/analysis/words_report.h"

namespace lantern::cli {

// The ending of the file picks the form: .svg or .png. Throws RequestError for another ending,
// FileError when it cannot be written.
void draw_words(const WordsReport& report, const std::string& caption,
                const std::filesystem::path& file);

}  // namespace lantern::cli
