// How a program is started, as far as those who start one for a user have it in common.
#pragma once

#include <string>
#include <vector>

namespace lantern::cli {

// Ours, with these NAME=VALUE set in it; one without '=' is taken out.
std::vector<std::string> environment_with(const std::vector<std::string>& settings);
// Paths are given from where the user is, and the program may start elsewhere. "" stays.
std::string absolute(const std::string& path);

}  // namespace lantern::cli
