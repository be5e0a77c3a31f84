// The page of `elm-lantern heap --out DIR`.
#pragma once

#include <string>

#include "core/analysis/heap_history_report.h"

namespace lantern::cli {

// `picture`: an SVG of what lived over time; empty: there is none.
std::string heap_page(const HeapRunReport& report, const std::string& picture);

}  // namespace lantern::cli
