// What Tab offers: commands, places, variables and members, files.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "cli/shell.h"

namespace lantern::cli {

struct Completion {
    std::size_t replaces = 0;  // how many characters before the cursor the candidates stand for
    std::vector<std::string> candidates;  // sorted, each once
};

// For the text before the cursor. Never throws.
Completion complete(Shell& shell, std::string_view before_cursor);

// The longest beginning that all candidates share.
std::string common_beginning(const std::vector<std::string>& candidates);

}  // namespace lantern::cli
