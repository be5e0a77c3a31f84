// One example of each command, on the demo's lockflow.
#pragma once

#include <string_view>

namespace lantern::cli {

// Empty for a word that is no command.
std::string_view example_of(std::string_view command);

}  // namespace lantern::cli
