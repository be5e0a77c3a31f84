// Two builds against each other: what they give a debugger, and, where they were run, where the
// runs part.
#pragma once

#include "core/comparison/build_comparison.h"
#include "core/comparison/parting_report.h"

namespace lantern {

struct ComparisonReport {
    std::optional<BuildComparison> builds;  // nothing: both sides are one file
    std::optional<WalkReport> walk;         // nothing: they were not run
};

}  // namespace lantern
