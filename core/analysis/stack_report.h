// A thread's call stack as facts, with runs of the same call counted instead of repeated.
#pragma once

#include <string>
#include <vector>

#include "core/session/moment.h"
#include "core/values/value_view.h"

namespace lantern {

// What a parameter was in the calls of a run: the same in all, or numbers from `low` to `high`, or
// simply not always the same.
struct ParameterSpan {
    std::string name;
    std::string low, high;  // both empty: it differs and is no number
    bool is_same() const { return low == high && !low.empty(); }
};

struct StackRow {
    unsigned level = 0;
    unsigned repeats =
        1;  // more than 1: the same function at the same line that often in a row, from `level` on
    std::string function;
    std::vector<ValueView> parameters;
    std::vector<ParameterSpan> spans;  // of the calls of the run
    std::string file;
    std::uint32_t line = 0;
    std::uint64_t address = 0;
    std::string module;
    FrameOrigin origin = FrameOrigin::innermost;
    bool is_inlined = false;
    bool is_signal_frame = false;
    bool is_selected = false;
    unsigned cycle = 1;  // the first of so many rows that together repeat `repeats` times
    unsigned words_skipped = 0;
    bool may_lack_others = false;  // see Frame
    bool is_folded =
        false;  // `repeats` frames of a library's inner workings: only the first is described
    std::string folded_of;     // "the C++ library", "libpython3.11.so.1.0"
    bool is_left_out = false;  // `repeats` frames in the middle of many are not shown
};

struct StackReport {
    ThreadId thread = 0;
    unsigned thread_number = 0;  // 0: the only one
    std::vector<StackRow> rows;
    unsigned total = 0;     // frames walked
    bool is_cut = false;    // there are more frames than were walked
    std::string why_ended;  // not empty: the walk ended in disorder
    struct Candidate {
        std::uint64_t at = 0, leads_to = 0;
        std::string name;
    };
    std::vector<Candidate> candidates;  // words further up the stack that could be return addresses
};

constexpr unsigned kMostFramesWalked = 1'000'000;
constexpr unsigned kRowsShown = 40;

// The whole stack: runs of calls that are alike, and of frames of a library's inner workings, are
// one row each; of more rows than `rows` those in the middle are left out, never the outermost.
StackReport report_stack(const Moment& moment, unsigned rows = kRowsShown,
                         unsigned most = kMostFramesWalked);
// Each frame from level `first` up to `end`, which does not belong to it, as it is.
StackReport report_stack_part(const Moment& moment, unsigned first, unsigned end);

}  // namespace lantern
