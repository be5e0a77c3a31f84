#include "cli/launching.h"

#include <unistd.h>

#include <algorithm>
#include <filesystem>

namespace lantern::cli {
namespace {

std::string_view name_in(std::string_view setting) {
    return setting.substr(0, setting.find('='));
}

}  // namespace

std::vector<std::string> environment_with(const std::vector<std::string>& settings) {
    std::vector<std::string> all;
    for (char** entry = environ; *entry; ++entry) {
        bool is_replaced = std::ranges::any_of(settings, [&](const std::string& setting) {
            return name_in(*entry) == name_in(setting);
        });
        if (!is_replaced) all.emplace_back(*entry);
    }
    for (const std::string& setting : settings)
        if (setting.find('=') != std::string::npos) all.push_back(setting);
    return all;
}

std::string absolute(const std::string& path) {
    return path.empty() ? path : std::filesystem::absolute(path).lexically_normal().string();
}

}  // namespace lantern::cli
