// A small chart of letters, for a terminal: each column is as high as its number.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cli/views/style.h"

namespace lantern::cli {

// `values` are spread over the width: of several that share a column the largest is drawn. Nothing,
// and what is not finite, is a gap.
std::string block_chart(const std::vector<std::optional<double>>& values, const Style& style);

}  // namespace lantern::cli
