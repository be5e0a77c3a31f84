// The rows and sentences that the text and the page of a comparison share.
#pragma once

#include <string>
#include <vector>

#include "core/comparison/comparison_report.h"

namespace lantern::cli {

struct ComparisonRow {
    std::string label, a, b;
};
std::vector<ComparisonRow> total_rows(const BuildComparison& builds);

// "212 | 96"; of what is not there a dash.
struct FunctionCells {
    std::string bytes, frame, lines, cover;
};
FunctionCells cells_of(const FunctionComparison& row);

// What else is to be said of it: "in B inlined into main (3 copies)", "no code in B: lines 14, 17".
std::vector<std::string> sentences_of(const FunctionComparison& row);

std::string line_part_text(const LinePart& part);
// Of two runs that do not part.
std::string no_parting_text(const WalkReport& walk);
// "1,204 calls that both make, of 12 functions; each was run 5 times"
std::string walked_words(const WalkReport& walk);

}  // namespace lantern::cli
