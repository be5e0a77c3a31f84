// How a step is to be done.
#pragma once

#include <string>

namespace lantern {

struct StepOptions {
    bool alone = false;   // the other threads are held meanwhile
    bool anyway = false;  // into: functions without lines and of libraries too
    std::string into;     // into: only the function of this name
};

}  // namespace lantern
