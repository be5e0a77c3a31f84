#include "core/target/emergency.h"

#include <signal.h>
#include <unistd.h>

#include <algorithm>
#include <vector>

#include "core/target/live_process.h"

namespace lantern {
namespace {

constexpr int kCrashes[] = {SIGSEGV, SIGBUS, SIGFPE, SIGILL, SIGABRT};

std::vector<LiveProcess*> attached;

void let_all_go(int signal) {
    for (int each : kCrashes) ::signal(each, SIG_DFL);  // should this fail too, it ends at once
    for (LiveProcess* process : attached) process->let_go_in_emergency();
    raise(signal);
}

}  // namespace

void join_emergency(LiveProcess& process) {
    if (attached.empty()) {
        struct sigaction action {};
        action.sa_handler = let_all_go;
        action.sa_flags = SA_NODEFER;
        for (int signal : kCrashes) sigaction(signal, &action, nullptr);
    }
    attached.push_back(&process);
}

void leave_emergency(LiveProcess& process) {
    std::erase(attached, &process);
}

}  // namespace lantern
