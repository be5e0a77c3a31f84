// Asks a symbol server for debug files by build id, through libdebuginfod; only when the user has
// switched that on.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace lantern::cli {

// `servers` are URLs; empty leaves those that the environment names to the library. Throws
// RequestError when the library is not installed or no server is named anywhere. `shows_progress`:
// a line on standard error while a file comes in.
std::function<std::optional<std::filesystem::path>(const std::string& build_id)> symbol_server(
    const std::vector<std::string>& servers, bool shows_progress);

}  // namespace lantern::cli
