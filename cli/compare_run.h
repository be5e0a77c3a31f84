// Compares two builds, and runs them where that is asked for.
#pragma once

#include "cli/output.h"
#include "core/comparison/comparison_report.h"
#include "core/comparison/paired_run.h"

namespace lantern::cli {

// What is run in step, and the result, for whoever goes on from there.
struct Compared {
    ComparisonReport report;
    PairedRunRequest request;
    PairedRun run;
};

// Each program's output and errors go nowhere but into the comparison. Throws what the core's
// functions do.
Compared compare_programs(const BuildComparisonRequest& builds,
                          const std::optional<PairedRunRequest>& runs,
                          const std::vector<SourceMapping>& mappings);

}  // namespace lantern::cli
