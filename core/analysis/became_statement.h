// What became of one statement of a function: where its code went, and why there may be none.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/analysis/became_loops.h"

namespace lantern {

// The number that a variable is wherever it has a value, as its debug information says; nothing
// where it is not one number.
std::optional<std::string> constant_of(const Variable& variable);

// `source_loops` as the function of that name tells them.
std::vector<BecameFact> facts_of_statement(
    const Became& became, const std::vector<std::optional<std::size_t>>& source_loops,
    std::size_t number);
// What its calls have become: inlined, or a jump.
std::vector<BecameFact> facts_of_calls(const Became& became, const CodeOfLine& code);

}  // namespace lantern
