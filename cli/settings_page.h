// What can be set, what is set, and what each setting is for.
#pragma once

#include <filesystem>

#include "cli/views/view.h"

namespace lantern::cli {

// Writes a file with every setting as a comment where there is none yet. Throws FileError for a
// file that cannot be read or written.
HelpReport settings_page(const std::filesystem::path& file);

}  // namespace lantern::cli
