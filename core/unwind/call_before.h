// Whether a word can be a return address: is there a call instruction right before the place it
// leads to?
#pragma once

#include <optional>

#include "core/target/target.h"

namespace lantern {

struct CallBefore {
    unsigned length = 0;               // bytes of the call instruction
    std::optional<RunAddress> target;  // of a direct call
};
// Nothing where no call ends there.
std::optional<CallBefore> call_before(Target& target, RunAddress return_address);

}  // namespace lantern
