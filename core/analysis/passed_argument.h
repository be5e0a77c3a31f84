// Which of the arguments of a call is a pointer of that number.
#pragma once

#include "core/analysis/source_names.h"

namespace lantern {

struct PassedArgument {
    unsigned dwarf_number = 0;       // of the register that it is passed in
    std::optional<SourceName> name;  // what the caller calls it; nothing: a number in the code
    std::string parameter;           // what the function calls it; empty: not known
};

// `called` is the frame of the function that the place calls. Nothing where no argument is such a
// pointer, or several are.
std::optional<PassedArgument> argument_that_is(SourceNames& names, PlaceInCode call,
                                               const Frame& called, std::uint64_t value);

}  // namespace lantern
