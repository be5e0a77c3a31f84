// Where a signal comes from.
#pragma once

#include <signal.h>
#include <sys/types.h>

#include <string>

namespace lantern {

// What the kernel says of a signal besides its number and address (sigaction(2): siginfo_t).
struct SignalOrigin {
    int code = 0;  // si_code; SI_KERNEL and above 0: the kernel's own reason; 0 and below: somebody
                   // sent it
    pid_t sender = 0;         // 0: nobody, or not known
    std::string sender_name;  // of the process, as long as it was there to be asked
    long system_call = -1;    // the one that a filter refused
};

SignalOrigin origin_of(const siginfo_t& information);

// As the kernel calls a process that is there (proc(5), comm); empty where it is gone.
std::string process_name(pid_t process);

}  // namespace lantern
