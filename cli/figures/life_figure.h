// Draws where the variables of a function live: its code from top to bottom, its lines beside, a
// lane for each variable.
#pragma once

#include <filesystem>

#include "core/analysis/variable_life.h"

namespace lantern::cli {

// The ending of the file picks the form: .svg or .png. Throws RequestError for another ending, and
// for a function that is too long for a picture; FileError when it cannot be written.
void draw_life(const VariableLife& life, const std::string& caption,
               const std::filesystem::path& file);

}  // namespace lantern::cli
