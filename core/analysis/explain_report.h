// All that is known about what a name or expression stands for: its type, where it was declared,
// where it lives here and elsewhere, and why it has no value if it has none.
#pragma once

#include <string>
#include <vector>

#include "core/analysis/nearest_place.h"
#include "core/session/moment.h"

namespace lantern {

// One stretch of code and where the variable lives in it.
struct ExplainedPlace {
    std::string place;     // "in rax"
    RunAddress low, high;  // 0 and 0: everywhere in its scope
    std::uint32_t first_line = 0, last_line = 0;
    std::uint32_t from_line =
        0;  // it holds from the statement of that line on, of several at `low`
    bool is_here = false;
    bool is_nowhere = false;  // the compiler says that it is kept nowhere there
};

// One of the variables of a name that are in scope.
struct ExplainedName {
    std::string chosen;  // "level#17": what picks it
    std::string value;
    std::uint32_t line = 0;
    std::string what;  // "local variable", "global variable" …
    bool is_meant = false;
};

struct ExplainReport {
    std::string expression;
    std::string what;  // "parameter of fill_chamber"
    ValueView value;
    std::string
        stands_for;  // of a macro: "((part) * 100 / (whole))", with its parameters before it
    std::string type;
    std::uint64_t size = 0;
    bool is_only_declared = false;  // its type: the size is not known
    std::string declared_in;
    std::uint32_t declared_line = 0;
    std::string scope;       // "lines 40 to 52 of fill_chamber"
    std::string address_is;  // what lies at its address: "stack of frame 0"
    std::vector<ExplainedPlace> places;
    NearestPlaces nearest;             // where it has none here
    std::vector<std::string> why;      // it has none, as far as that is known
    std::vector<ExplainedName> names;  // innermost first; empty where there is only the one
};

// Throws ExpressionError.
ExplainReport report_explanation(const Moment& moment, const std::string& expression);

}  // namespace lantern
