// What there is more of in the heap than before. (For heap_reach.cpp; the reports are in
// heap_report.h.)
#pragma once

#include "core/analysis/heap_report.h"
#include "core/heap/reachability.h"

namespace lantern {

// Of what is not lost: kinds of blocks of which there were more each time than the time before.
// Nothing where the heap was kept less than twice in this run.
std::vector<HeapGrowthRow> what_only_grows(const Moment& moment, const Heap& heap,
                                           const Reachability& reach,
                                           const std::vector<KeptHeap>& kept,
                                           const Progress& progress);

}  // namespace lantern
