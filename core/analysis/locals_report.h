// The parameters and local variables of a frame, each with whether anything has assigned it yet.
#pragma once

#include <string>
#include <vector>

#include "core/session/moment.h"
#include "core/values/assignment.h"

namespace lantern {

struct LocalsReport {
    unsigned level = 0;
    std::string function;
    std::string file;
    std::uint32_t line = 0;
    std::vector<ValueView> variables;  // innermost scope first
};

LocalsReport report_locals(const Moment& moment, const Frame& frame);

// The same for whoever goes on into the parts of a variable: where it is, and how it is asked for.
struct LocalVariable {
    ValueView view;
    Value value;
    std::string expression;   // "level", "level#12" of one that is hidden by an inner one
    std::string declared_in;  // file; empty where that is not known
};
// Views of them are made within `limits`.
std::vector<LocalVariable> local_variables(const Moment& moment, const Frame& frame,
                                           const ViewLimits& limits);

// The static variables of the frame's source file, each as `local_variables` has it; those beyond
// `most` are left out.
std::vector<LocalVariable> file_variables(const Moment& moment, const Frame& frame,
                                          const ViewLimits& limits, std::size_t most);

// What `globals` was asked for.
struct GlobalsQuestion {
    std::string pattern;  // see Pattern; empty: all
    std::string in;       // a source file or a loaded library
    std::string of;       // a part of the type's name
    std::size_t limit = 60;
};

// The globals that fit, limited, the program's own first; `total` counts all that fit.
struct GlobalsReport {
    std::vector<ValueView> variables;
    std::size_t total = 0;
    std::size_t of_library = 0;  // of the system's and the languages' own libraries, not listed
                                 // where nothing in particular is asked for
    bool is_running = false;     // false: these are the values the program starts with
};
// Throws RequestError for a pattern that does not parse.
GlobalsReport report_globals(const Moment& moment, const GlobalsQuestion& question);

// Of a variable, or a member of one, that an expression names alone ("fill_cm", "gate.width").
Assignment assignment_of_name(const Moment& moment, const std::string& expression);
// Marks the view of such a one, and its members, like `locals` would.
// `value` is what it comes to.
void add_assignment(const Moment& moment, const std::string& expression, const Value& value,
                    ValueView& view);

}  // namespace lantern
