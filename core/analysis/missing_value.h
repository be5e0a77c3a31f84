// Why a variable is nowhere at a place of optimised code.
#pragma once

#include <string>
#include <vector>

#include "core/analysis/nearest_place.h"
#include "core/session/moment.h"

namespace lantern {

// Sentences, the one that says most first; each names what it is seen from. Of a variable of the
// frame that has no place there, and none that could be recovered. `nearest`: where it has one.
// Never throws.
std::vector<std::string> why_nowhere(const Moment& moment, const Frame& frame,
                                     const Variable& variable, const NearestPlaces& nearest);

}  // namespace lantern
