// Where a variable that has no place here has one: the nearest such instruction before this one and
// behind it, along the ways that control can take.
#pragma once

#include <optional>
#include <string>

#include "core/session/moment.h"

namespace lantern {

struct NearestPlace {
    RunAddress address;
    std::string place;  // "in rbx"
    std::string file;
    std::uint32_t line = 0;  // 0: it has none there
};

struct NearestPlaces {
    std::optional<NearestPlace> behind, before;
};

// `scope` is the one that declares the variable; where its own function's code runs, and not that
// of a call inlined in it. Nothing where no way leads to one, or the code is not known. Throws
// FormatError.
NearestPlaces nearest_places(const Frame& frame, const Scope& scope, const Variable& variable);

}  // namespace lantern
