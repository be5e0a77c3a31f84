// Writes a file whole or not at all: a reader never sees half of it.
#pragma once

#include <filesystem>
#include <string_view>

namespace lantern::cli {

// Throws FileError.
void write_whole_file(const std::filesystem::path& path, std::string_view content);

}  // namespace lantern::cli
