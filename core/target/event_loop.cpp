#include "core/target/event_loop.h"

#include <fmt/format.h>
#include <poll.h>
#include <signal.h>
#include <sys/signalfd.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "core/support/error.h"

namespace lantern {
namespace {

sigset_t watched() {
    sigset_t set;
    sigemptyset(&set);
    sigaddset(&set, SIGCHLD);
    sigaddset(&set, SIGINT);
    return set;
}

}  // namespace

EventLoop::EventLoop() {
    sigset_t set = watched();
    signals_ = signalfd(-1, &set, SFD_CLOEXEC | SFD_NONBLOCK);
    if (signals_ < 0) throw TargetError(fmt::format("signals cannot be waited for: {}", std::strerror(errno)));
    sigaddset(&set, SIGTTOU);  // taking the terminal back from the background must not stop us
    sigprocmask(SIG_BLOCK, &set, nullptr);
}

EventLoop::~EventLoop() {
    close(signals_);
}

EventLoop::Event EventLoop::wait() {
    for (;;) {
        signalfd_siginfo info;
        ssize_t got = read(signals_, &info, sizeof info);
        if (got == sizeof info) return info.ssi_signo == SIGINT ? Event::interrupt : Event::child_changed;
        pollfd watch{signals_, POLLIN, 0};
        if (poll(&watch, 1, -1) < 0 && errno != EINTR)
            throw TargetError(fmt::format("waiting for the program failed: {}", std::strerror(errno)));
    }
}

void EventLoop::forget_interrupts() {
    signalfd_siginfo info;
    while (read(signals_, &info, sizeof info) == sizeof info) continue;
}

}  // namespace lantern
