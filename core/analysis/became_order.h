// Where a statement's code went among that of the others: before which line it runs, and with which
// it has become one.
#pragma once

#include <optional>
#include <vector>

#include "core/analysis/became_loops.h"

namespace lantern {

// Of one with code: what stands before it in the source and behind it in the code.
std::optional<BecameFact> fact_of_order(const Became& became, std::size_t statement);
// Of one without code of its own: another that says the same on another way, and has code, or none
// either where there is code that belongs to no line.
std::optional<BecameFact> fact_of_merging(const Became& became, std::size_t statement);

}  // namespace lantern
