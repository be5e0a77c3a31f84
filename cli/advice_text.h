// What the user can do next, in the words of the prompt and of the command line.
#pragma once

#include <string>

#include "core/support/advice.h"

namespace lantern::cli {

std::string advice_text(const Advice& advice);  // empty: nothing
std::string finding_text(const Finding& finding);

}  // namespace lantern::cli
