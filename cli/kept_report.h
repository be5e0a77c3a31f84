// Keeps a whole report in a folder, in each form that somebody may want it in.
#pragma once

#include <filesystem>
#include <string>

#include "cli/output.h"

namespace lantern::cli {

// An index.html of what lies in the folder: pages, pictures, texts and JSON. Throws FileError.
void write_folder_index(const std::filesystem::path& folder);
// A report as NAME.txt, NAME.json and NAME.html in a folder, which is made; `output` is told.
// Throws FileError.
void keep_report(const View& report, const std::string& page, const std::string& folder,
                 const std::string& name, Output& output);

}  // namespace lantern::cli
