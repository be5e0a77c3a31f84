// Runs two builds, or one build twice, and finds where the runs part. A difference counts only if
// it is none of a build with itself: where one is found, each side is run again as it was, with
// other contents in memory that nothing has set, and at other addresses.
#pragma once

#include <functional>

#include "core/comparison/parting.h"
#include "core/comparison/walk_process.h"

namespace lantern {

// How a program is run: as it is, with memory filled that nothing has set, or at other addresses.
enum class RunWay { as_it_is, filled, elsewhere };
LaunchOptions launch_in(const LaunchOptions& launch, RunWay way);

struct PairedRunRequest {
    std::array<LaunchOptions, 2> launch;  // with whole environments
    SymbolSearch search;
    LibraryRules libraries;
    std::string within;     // only while this function runs; empty: always
    std::string functions;  // only those that match; * stands for anything; empty: all
    bool runs_again = true;
    std::string thread;  // only this thread, by its number or name; empty: each for itself
    // Told how many events there are in this round of runs, some times a second; true: stop, with
    // what is known.
    std::function<bool(std::uint64_t events, unsigned round)> progress;
};

struct PairedRun {
    std::array<std::shared_ptr<const ModuleSymbols>, 2> symbols;
    FunctionPairs pairs;
    std::array<Walk, 2> walks;
    Partings partings;
    std::array<unsigned, 2> runs{};  // how often each was run
    bool is_interrupted = false;
    bool is_checked = false;  // by running each again
};

// Throws FileError, TargetError; RequestError where there is nothing to walk.
PairedRun run_paired(const PairedRunRequest& request);
// One of the builds against itself: as it is, and with memory filled that nothing has set. Where
// those part, such memory was used, and all of that build's functions are walked.
PairedRun run_filled(const PairedRunRequest& request, unsigned side);

}  // namespace lantern
