// Reports that are a list of what the session keeps, or another report told in another way.
#pragma once

#include <vector>

#include "core/analysis/stop_report.h"
#include "core/session/presentation.h"
#include "core/session/process_fact.h"

namespace lantern::cli {

// `processes`
struct ProcessesReport {
    std::vector<ProcessFact> rows;
};

struct PinsReport {
    std::vector<Pin> pins;
};

// One of several steps, told on the way: `over N pace SECONDS`.
struct StepLine {
    StopReport stop;
};

}  // namespace lantern::cli
