// Why a variable has no value here, as its location list has it: the compiler removed it, or keeps
// it nowhere at this point and elsewhere again.
#pragma once

#include <string>

#include "core/symbols/function.h"
#include "core/unwind/frame.h"

namespace lantern {

std::string why_no_location(const Variable& variable, const Frame& frame);

}  // namespace lantern
