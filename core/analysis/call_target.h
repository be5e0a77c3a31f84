// Whether the call at which a frame stands leads to the function of the frame below it: a function
// that another one jumped to has the same caller on the stack, which has passed it nothing.
#pragma once

#include "core/analysis/source_names.h"

namespace lantern {

enum class Calls { yes, no, unknown };

// unknown: a call through a pointer that cannot be read any more.
Calls calls(Target& target, PlaceInCode call, const Frame& called);

}  // namespace lantern
