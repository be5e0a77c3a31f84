#include "core/target/signal_origin.h"

#include <fmt/format.h>

#include <fstream>

namespace lantern {

SignalOrigin origin_of(const siginfo_t& information) {
    SignalOrigin origin;
    origin.code = information.si_code;
    bool was_sent = information.si_code == SI_USER || information.si_code == SI_TKILL ||
                    information.si_code == SI_QUEUE;
    if (was_sent) origin.sender = information.si_pid;
    if (information.si_signo == SIGSYS && information.si_code > 0)
        origin.system_call = information.si_syscall;
    return origin;
}

std::string process_name(pid_t process) {
    std::ifstream file(fmt::format("/proc/{}/comm", process));
    std::string name;
    std::getline(file, name);
    return name;
}

}  // namespace lantern
