// Draws what hangs together by pointers: boxes with rows, and arrows from the rows.
#pragma once

#include <filesystem>
#include <string>

#include "core/analysis/structure_report.h"

namespace lantern::cli {

// The ending of the file picks the form: .svg, .png, or .dot for Graphviz's own programs. Throws
// RequestError for another ending, FileError when it cannot be written.
void draw_structure(const StructureReport& report, const std::filesystem::path& file);
// "new", "changed", "gone"; empty for a box that is the same.
std::string word_of(BoxChange change);
std::string structure_dot(const StructureReport& report);

}  // namespace lantern::cli
