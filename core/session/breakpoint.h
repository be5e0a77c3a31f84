// A place where the program is to stop, as the user asked for it, and the sites in memory that stand for it.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "core/expressions/evaluator.h"
#include "core/session/place.h"

namespace lantern {

struct Breakpoint {
    struct Site {
        RunAddress address;   // in the running program; before it runs, as if loaded at its file addresses
        CodeSite code;
        std::string module;   // path
        bool inserted = false;
    };
    unsigned number = 0;
    Place place;
    bool is_on = true;
    std::string condition;     // stops only where this is not zero; empty: always
    // The condition as it was read for the function it was last met in.
    std::shared_ptr<const Expression> compiled;
    const Function* compiled_for = nullptr;
    std::string problem;       // why the condition could not be computed at the last hit
    std::uint64_t hits = 0;    // stopped
    std::uint64_t passes = 0;  // went on because the condition did not hold
    std::vector<Site> sites;  // empty: waits for a library that brings the place
};

}  // namespace lantern
