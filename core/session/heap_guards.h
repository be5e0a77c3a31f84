// Which blocks get a page of their own, by where they are born: the places that the user names are
// looked up in what is loaded, and the library in front of the allocator is told where their code
// lies.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "core/session/place.h"

namespace lantern {

// The code of a function with what was split off from it and with its inlined copies, or of a line,
// in run addresses. Throws RequestError where there is none.
std::vector<RunRange> code_of_place(const Place& place, Target& target);

// Writes down for the library what lies where now. Nothing happens where it is not loaded. The
// places that no loaded module has are left out.
void tell_guarded_places(Target& target, std::span<const Place> places);

// Of each place that no loaded module has: why not.
std::vector<std::string> guarded_places_not_met(Target& target, std::span<const Place> places);

}  // namespace lantern
