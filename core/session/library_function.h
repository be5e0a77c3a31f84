// Which of several functions of one name in libraries is the one that the program calls: what the
// loader binds.
#pragma once

#include <string>
#include <vector>

#include "core/session/place.h"
#include "core/target/target.h"

namespace lantern {

// The dynamic loader brings copies of the C library's functions for itself.
bool is_loader(const Module& module);

// The places of a function that a library exports, the first in the order the loader searches them;
// of an indirect function (the one the loader chooses by what the processor can) the implementation
// it has chosen. Empty where no library exports the name, or where the choice is not known.
std::vector<PlaceSite> exported_function(Target& target, const std::string& name);

}  // namespace lantern
