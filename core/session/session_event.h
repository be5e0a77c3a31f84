// What happens in a session besides the stops that are asked for. Front ends subscribe to it, and
// are told at once, while a movement may be under way: they may show it, and ask for nothing.
#pragma once

#include <sys/types.h>
#include <functional>

#include "core/session/stop.h"

namespace lantern {

struct SessionEvent {
    enum class Kind { process_began, process_became, process_ended } kind = Kind::process_began;
    unsigned process = 0;  // its number
    pid_t id = 0;
    unsigned parent = 0;  // the number of the one that forked it, and its id
    pid_t parent_id = 0;
    std::string program;  // of one that became another
    Stop end;             // of one that ended
};

using SessionListener = std::function<void(const SessionEvent& event)>;

}  // namespace lantern
