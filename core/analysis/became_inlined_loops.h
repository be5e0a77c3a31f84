// Loops that came into a function with a call that was inlined: of std::accumulate, of an
// iterator's fold.
#pragma once

#include <map>
#include <vector>

#include "core/analysis/became_loops.h"

namespace lantern {

// By the line of the call. `source_loops` as the function of that name tells them: those are the
// function's own.
std::map<std::uint32_t, std::vector<BecameFact>> facts_of_inlined_loops(
    const Became& became, const std::vector<std::optional<std::size_t>>& source_loops);

}  // namespace lantern
