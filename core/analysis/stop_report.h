// Everything a person is told at a stop: why, where, which line runs next, what changed, and the
// pinned values.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/analysis/change_tracker.h"
#include "core/analysis/source_report.h"
#include "core/support/advice.h"

namespace lantern {

struct PinReport {
    unsigned number = 0;
    std::string text;
    std::optional<ValueView> value;  // nothing: see `problem`, or it is a view
    std::string problem;
    std::string before;    // its value at the last stop, where that was another
    bool is_view = false;  // "locals", "stack": shown by whoever renders
};

// What a watchpoint saw, ready to be shown.
struct WatchReport {
    unsigned number = 0;
    std::string expression, before, after;
    bool is_first = false;  // that is seen since it is watched
    Touched touched = Touched::changed;
    std::string file, function, statement;  // of what did it
    std::uint32_t line = 0;
    std::string by;
    std::string from, from_file;  // where the user's own code called the library that did it;
                                  // empty: it was its own
    std::uint32_t from_line = 0;
};

struct StopReport {
    StopFacts stop;
    unsigned process = 0;     // its number, where there are several; else 0
    unsigned thread = 0;      // its number, where there are several
    std::string headline;     // why, in a word or two: "breakpoint 1", "SIGSEGV"
    std::string why;          // why, in a plain sentence
    std::string next_to_run;  // a plain sentence; empty when the program has ended
    std::string function;
    std::string file;
    std::uint32_t line = 0;
    std::uint64_t address = 0;
    LineState line_state = LineState::next;
    std::optional<ValueView> returned;
    unsigned returned_number = 0;  // "@number" is that value; 0: it was not kept
    std::vector<ValueView> calls;  // what the calls of the line returned, by their functions' names
    std::vector<WatchReport> watched;
    std::vector<ValueChange> changes;
    std::size_t more_changes = 0;
    std::vector<PinReport> pins;
    SourceReport source;      // a few lines around; no rows when there is no source
    std::string instruction;  // the next one, where there is no line
    std::string warning;      // what should not be overlooked
    Advice suggestion;        // what to do next, where that is not obvious
};

// Fills in the report for the session's last stop.
StopReport report_stop(const Moment& moment, const Stop& stop, ChangeTracker& tracker);

// "breakpoint 1", "stepped": why it stands where it does.
std::string why_stopped(const Moment& moment, const Stop& stop);

// Words that `pin` takes for a whole view.
bool is_view_word(std::string_view word);

}  // namespace lantern
