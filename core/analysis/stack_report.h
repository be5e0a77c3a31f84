// A thread's call stack as facts, with runs of the same call counted instead of repeated.
#pragma once

#include <string>
#include <vector>

#include "core/session/session.h"
#include "core/values/value_view.h"

namespace lantern {

struct StackRow {
    unsigned level = 0;
    unsigned repeats = 1;  // more than 1: the same function at the same line that often in a row, from `level` on
    std::string function;
    std::vector<ValueView> parameters;
    std::string file;
    std::uint32_t line = 0;
    std::uint64_t address = 0;
    std::string module;
    FrameOrigin origin = FrameOrigin::innermost;
    bool is_inlined = false;
    bool is_signal_frame = false;
    bool is_selected = false;
    unsigned cycle = 1;      // the first of so many rows that together repeat `repeats` times
    unsigned words_skipped = 0;
    bool is_folded = false;  // `repeats` frames of a module that is not the user's: only the first is described
};

struct StackReport {
    ThreadId thread = 0;
    unsigned thread_number = 0;  // 0: the only one
    std::vector<StackRow> rows;
    unsigned total = 0;        // frames walked
    bool is_cut = false;       // there are more frames than were walked
    std::string why_ended;     // not empty: the walk ended in disorder
    struct Candidate {
        std::uint64_t at = 0, leads_to = 0;
        std::string name;
    };
    std::vector<Candidate> candidates;  // words further up the stack that could be return addresses
};

// Walks `most` frames at most. Long runs of frames in code of the system's without source, an interpreter's say, are folded into
// one row each unless `unfolded`.
enum class Folding { folded, unfolded };
StackReport report_stack(Session& session, unsigned most, Folding folding = Folding::folded);

}  // namespace lantern
