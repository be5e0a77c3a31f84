// A breakpoint as facts to show: what was wished, what became of it, and where it stands in the
// process that is looked at.
#pragma once

#include <cstdint>
#include <list>
#include <optional>
#include <string>
#include <vector>

#include "core/session/breakpoint.h"

namespace lantern {

class Moment;

struct BreakpointRow : BreakpointWish {
    struct Site {
        std::uint64_t address = 0;  // run address; before the program runs the file's own
        std::string function, inlined_into, file;
        std::uint32_t line = 0;  // 0: not known
        bool is_inlined_copy = false;
        bool is_statement = true;
        unsigned block = 0, blocks = 0;  // of a line whose code the compiler has taken apart
    };
    // The memory of a watchpoint.
    struct Watch {
        enum class By { debug_registers, pages, steps } by = By::debug_registers;
        std::uint64_t
            address = 0,
            size = 0;  // run address, bytes; 0 bytes: it is not known before the program runs
        unsigned debug_registers = 0;  // how many
        bool has_ended = false, follows = false;
        std::string until;  // the function with whose return it ends; empty: none
    };
    unsigned number = 0;
    std::uint64_t hits = 0, passes = 0;
    std::vector<Site> sites;
    std::optional<Watch> watch;
    std::string moved;  // what a rebuild did to its place; empty: nothing
    std::string doubt;  // about the values that its condition or its note reads; empty: none

    // Not each time that it is met counts.
    bool may_pass() const { return !condition.empty() || after || every > 1; }
};

struct BreakpointsReport {
    std::vector<BreakpointRow> breakpoints;
};

// One that has just been made, and what its user should know of it.
struct NewBreakpoint {
    BreakpointRow breakpoint;
    std::string note;  // empty: nothing
};

BreakpointRow report_breakpoint(const Breakpoint& breakpoint);
BreakpointsReport report_breakpoints(const std::list<Breakpoint>& breakpoints);
// `others`: the numbers of those that stand there too.
NewBreakpoint report_new_breakpoint(const Moment& moment, const Breakpoint& made,
                                    const std::vector<unsigned>& others);

}  // namespace lantern
