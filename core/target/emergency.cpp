#include "core/target/emergency.h"

#include <signal.h>
#include <unistd.h>

#include <algorithm>
#include <vector>

#include "core/support/guarded_mapping.h"
#include "core/target/live_process.h"

namespace lantern {
namespace {

constexpr int kCrashes[] = {SIGSEGV, SIGBUS, SIGFPE, SIGILL, SIGABRT};

std::vector<LiveProcess*> attached;

void let_all_go(int signal, siginfo_t* info, void*) {
    if (signal == SIGBUS && heal_mapping(info->si_addr)) return;
    for (int each : kCrashes) ::signal(each, SIG_DFL);  // should this fail too, it ends at once
    for (LiveProcess* process : attached) process->let_go_in_emergency();
    raise(signal);
}

}  // namespace

void join_emergency(LiveProcess& process) {
    if (attached.empty()) {
        struct sigaction action {};
        action.sa_sigaction = let_all_go;
        action.sa_flags = SA_SIGINFO | SA_NODEFER;
        for (int signal : kCrashes) sigaction(signal, &action, nullptr);
    }
    attached.push_back(&process);
}

void leave_emergency(LiveProcess& process) {
    std::erase(attached, &process);
}

}  // namespace lantern
