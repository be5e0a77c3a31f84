// Where two runs part, as facts to show: what each does there, the calls they are both in, and how
// each stands.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "core/analysis/locals_report.h"
#include "core/analysis/stack_report.h"
#include "core/comparison/paired_run.h"

namespace lantern {

// What one side does at the place, A or B.
struct PartedSide {
    std::string does;       // "toll returns 32"
    std::string call_file;  // of the call that this is about
    std::uint32_t call_line = 0;
    std::optional<StackReport> stack;
    std::optional<LocalsReport> locals;
    std::string no_stack;       // why there is none; empty where there is
    std::string set_by_nobody;  // variables of the function that nothing has set, when it returns
};

// The last line before that one, inside of the function that returns something else: one of its
// variables holds something in B that it does not in A. It is as good as the compilers' accounts.
struct LinePart {
    std::string variable;
    std::array<std::string, 2> value;
    std::array<std::uint32_t, 2> line{};
    std::string file;
};

// Where a build first computes something from memory that nothing has set.
struct UnsetLead {
    unsigned side = 0;
    std::string what;  // a sentence
    std::string call_file;
    std::uint32_t call_line = 0;
    std::string set_by_nobody;  // variables, when the function returns
    std::vector<std::string> inside;
    std::optional<StackReport> stack;
};

struct PartingReport {
    Parting::Kind kind = Parting::Kind::none;
    std::string what;      // a sentence
    std::string why;       // what it comes from, as far as that was found out; may be empty
    std::string function;  // that the event is of; may be empty
    std::vector<std::string> inside;  // the calls that both are in, the outermost first
    std::array<PartedSide, 2> sides;
    std::uint64_t descriptor = 0, line = 0;  // of what was written: where, and which line of it
    std::array<std::string, 2> written;
    bool heals = false;
    std::optional<LinePart> line_part;
    std::optional<UnsetLead> unset;
};

struct WalkReport {
    std::array<std::string, 2> programs;
    std::array<std::string, 2> compilers;  // "gcc 12.2.0 -O2"
    std::array<std::string, 2> ended;      // "it ended with the status 0"; empty: it was stopped
    std::array<unsigned, 2> runs{};
    std::uint64_t functions = 0, matched = 0;
    std::vector<Unmatched> left_out;
    std::vector<std::string> notes;  // what differs by itself, and what was not looked at
    bool is_interrupted = false;
    bool has_lonely_threads = false;     // that have no like in the other run
    bool differs_by_itself = false;      // some values or lines, from run to run of one build
    std::optional<PartingReport> first;  // nothing: they do not part
    std::optional<PartingReport> then;   // of another way that does not heal: what differs then

    bool have_parted() const { return first && !first->heals; }
};

// What a run against itself tells; nothing where that does not part in a value or a way. Nothing is
// run for it.
std::optional<UnsetLead> lead_of(const PairedRun& filled, unsigned side);
// Nothing is run for it.
WalkReport report_walk(const PairedRunRequest& request, const PairedRun& run);

}  // namespace lantern
