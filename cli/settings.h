// The user's settings: config.toml under the XDG configuration folder, and nowhere else.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "core/expressions/declared_view.h"

namespace lantern::cli {

struct Settings {
    std::vector<std::filesystem::path> symbol_folders;
    std::vector<std::string> symbol_servers;
    bool ask_servers = false;
    bool keep_indexes = true;
    std::uint64_t index_limit = std::uint64_t{512} << 20;  // bytes
    std::vector<std::string>
        library_folders;        // what steps pass through, besides the system's libraries
    bool att_syntax = false;    // of instructions
    unsigned source_lines = 6;  // shown at a stop
    std::map<std::string, std::string>
        words;                        // the user's own short words, and what they stand for
    std::vector<DeclaredView> views;  // [[view]], in the order of the file
};

// Defaults where there is no file. Throws FileError with the line where it does not parse, and for
// words it does not know.
Settings read_settings(const std::filesystem::path& file);

std::filesystem::path
settings_file();  // $XDG_CONFIG_HOME/elm-lantern/config.toml; empty without a home
std::filesystem::path cache_folder();  // $XDG_CACHE_HOME/elm-lantern

}  // namespace lantern::cli
