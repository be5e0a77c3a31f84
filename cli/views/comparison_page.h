// Two builds and two runs as a page.
#pragma once

#include <string>

#include "core/comparison/comparison_report.h"

namespace lantern::cli {

std::string comparison_page(const ComparisonReport& report);

}  // namespace lantern::cli
