// Runs a program with our library in front of its allocator, past each thing it finds, to its end.
#pragma once

#include "cli/output.h"
#include "core/analysis/heap_history_report.h"
#include "core/session/session.h"

namespace lantern::cli {

// The session's program is launched with the library (core/session/heap_launch.h).
HeapRunReport heap_report_of_run(Session& session);

// As text, JSON and a page with a picture. Throws FileError.
void keep_heap_report(const HeapRunReport& report, const std::string& folder, Output& output);

}  // namespace lantern::cli
