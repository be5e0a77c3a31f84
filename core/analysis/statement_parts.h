// Which part of a statement led to an address. Each place that the statement's text names is worked
// out in the frame, and the one that lies there is the one that was used.
//
//     ms->capture[level].init = s;      &ms->capture[level].init is where it failed, and
//                                       ms leads somewhere: `level` is to blame
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "core/expressions/evaluator.h"
#include "core/session/moment.h"

namespace lantern {

struct StatementPart {
    std::string name;      // an expression of the frame
    std::string index_of;  // not empty: the name is an index, and this what it is used with
    const Type* type = nullptr;
    std::uint64_t value = 0;
    bool operator==(const StatementPart& other) const = default;
};

// For names of the frame; nothing of the program is run.
EvaluationContext context_in(const Moment& moment, const Frame& frame);

// Nothing where no place of the statement lies there, or several do for different reasons. Runs
// nothing of the program.
std::optional<StatementPart> part_that_leads_to(const Moment& moment, const Frame& frame,
                                                const std::string& statement,
                                                std::uint64_t address);

// The pointers that a statement follows, in its order: of `a->b->c` first a, then a->b.
std::vector<std::string> pointers_followed_in(const std::string& statement);
// Every name in it that is not a member's, a function's or in quotes.
std::vector<std::string> names_in(const std::string& statement);

}  // namespace lantern
