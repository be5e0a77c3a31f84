// A value is as doubtful as what it is computed from.
//
//     value total + 1          `total` is kept in a register in this loop, and its memory is of
//                              before it: the sum is told with what is to be said of `total`
#pragma once

#include <string>

#include "core/session/moment.h"

namespace lantern {

// What is to be said of the variables and members that the expression reads, of the selected frame:
// "total: perhaps of before line 18: …"; empty where there is nothing. Runs nothing of the program;
// never throws.
std::string doubt_of_what_is_read(const Moment& moment, const std::string& expression);
// The same, but empty where the expression is but such a name itself.
std::string doubt_from_names(const Moment& moment, const std::string& expression);

}  // namespace lantern
