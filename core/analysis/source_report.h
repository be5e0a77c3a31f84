// Some lines of a source file with what a debugger knows about them.
#pragma once

#include <string>
#include <vector>

#include "core/analysis/code_shape.h"
#include "core/session/moment.h"

namespace lantern {

// What the selected frame is about to do with its line.
enum class LineState {
    next,     // it runs next, from its start
    begun,    // it has begun; the rest of it runs next
    waiting,  // it has called the frame below, and goes on when that returns
    left,     // the function has been left by a jump that is in it
    fails,    // the instruction that failed is in it
};

struct BreakpointMark {
    unsigned number = 0;
    bool is_on = true;
};

struct SourceRow {
    std::uint32_t number = 0;
    std::string text;
    std::vector<CodePart> parts;  // words, texts, comments, numbers in it
    bool has_code = false;
    bool is_current = false;  // where the selected frame stands
    std::vector<BreakpointMark> breakpoints;
    LineState state = LineState::next;  // of the current one
};

struct SourceReport {
    std::string file;      // as the compiler recorded it
    std::string found_at;  // the path that was read; empty: the file is missing
    std::uint32_t current_line = 0;
    LineState current_state = LineState::next;
    bool is_stale = false;        // newer than the program
    std::uint32_t last_line = 0;  // of the file
    std::vector<SourceRow> rows;
};

// Of a frame that stands on a line.
LineState line_state(const Moment& moment, const Frame& frame);

// Lines first … last of a file, cut to what the file has.
SourceReport report_source(const Moment& moment, const std::string& file, std::uint32_t first,
                           std::uint32_t last);

// So many lines around one, as the user wants them at a stop.
SourceReport report_source_around(const Moment& moment, const std::string& file, std::uint32_t line,
                                  unsigned lines);

}  // namespace lantern
