// What is done when we crash ourselves: a process that we were attached to must not be left with
// our breakpoint bytes in it.
#pragma once

namespace lantern {

class LiveProcess;

// Takes part from now on, until `leave_emergency`. From any signal handler of a crash, the process
// is made clean and let go, as far as that can be done there.
void join_emergency(LiveProcess& process);
void leave_emergency(LiveProcess& process);

}  // namespace lantern
