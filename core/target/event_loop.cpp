#include "core/target/event_loop.h"

#include <fmt/format.h>
#include <poll.h>
#include <signal.h>
#include <sys/signalfd.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <utility>
#include <vector>

#include "core/support/error.h"
#include "core/support/fibre.h"

namespace lantern {
namespace {

sigset_t watched() {
    sigset_t set;
    sigemptyset(&set);
    sigaddset(&set, SIGCHLD);
    sigaddset(&set, SIGINT);
    for (int signal : kEndingSignals) sigaddset(&set, signal);
    return set;
}

}  // namespace

EventLoop::EventLoop() {
    ::signal(
        SIGCHLD,
        SIG_DFL);  // whoever started us may have ignored it, and then there is no news of children
    sigset_t set = watched();
    signals_ = signalfd(-1, &set, SFD_CLOEXEC | SFD_NONBLOCK);
    if (signals_ < 0)
        throw TargetError(fmt::format("signals cannot be waited for: {}", std::strerror(errno)));
    sigaddset(&set, SIGTTOU);  // taking the terminal back from the background must not stop us
    sigprocmask(SIG_BLOCK, &set, nullptr);
}

EventLoop::~EventLoop() {
    close(signals_);
}

bool EventLoop::is_interrupt(unsigned signal) {
    if (std::find(std::begin(kEndingSignals), std::end(kEndingSignals), static_cast<int>(signal)) !=
        std::end(kEndingSignals))
        throw EndRequested{static_cast<int>(signal)};
    return signal == SIGINT;
}

EventLoop::Event EventLoop::wait() {
    return wait_at_most(-1);
}

bool EventLoop::is_to_end_the_wait() {
    if (!meanwhile_) return false;
    auto look = meanwhile_;  // it may set another
    return look();
}

EventLoop::Event EventLoop::wait_at_most(int milliseconds) {
    if (Fibre* fibre = Fibre::current())
        return fibre->give_way() == Fibre::Word::interrupt ? Event::interrupt
                                                           : Event::child_changed;
    if (is_to_end_the_wait()) return Event::interrupt;
    if (std::exchange(child_has_changed_, false)) return Event::child_changed;
    for (;;) {
        signalfd_siginfo info;
        ssize_t got = read(signals_, &info, sizeof info);
        if (got == sizeof info)
            return is_interrupt(info.ssi_signo) ? Event::interrupt : Event::child_changed;
        if (poll_watched(milliseconds) == 0) return Event::child_changed;
    }
}

std::vector<int> EventLoop::descriptors() const {
    std::vector<int> all{signals_};
    for (const auto& [descriptor, ready] : watched_) all.push_back(descriptor);
    return all;
}

void EventLoop::call_ready() {
    poll_watched(0);
}

// How many are ready; those who watch them have been called.
int EventLoop::poll_watched(int milliseconds) {
    std::vector<pollfd> watches;
    for (int descriptor : descriptors()) watches.push_back({descriptor, POLLIN, 0});
    int ready_ones = poll(watches.data(), watches.size(), milliseconds);
    if (ready_ones < 0 && errno != EINTR)
        throw TargetError(fmt::format("waiting for the program failed: {}", std::strerror(errno)));
    for (std::size_t i = 1; i < watches.size(); ++i) {
        auto found = watched_.find(watches[i].fd);
        if (!watches[i].revents || found == watched_.end()) continue;
        auto ready = found->second;  // it may forget itself
        ready();
    }
    return ready_ones;
}

void EventLoop::watch(int descriptor, std::function<void()> ready) {
    watched_[descriptor] = std::move(ready);
}

void EventLoop::forget(int descriptor) {
    watched_.erase(descriptor);
}

bool EventLoop::let_others_look() {
    Fibre* fibre = Fibre::current();
    if (!fibre) return is_to_end_the_wait() || take_interrupt();
    ::kill(getpid(),
           SIGCHLD);  // it does not wait for anything: whoever sleeps is to come back at once
    return fibre->give_way() == Fibre::Word::interrupt;
}

bool EventLoop::take_interrupt() {
    bool interrupted = false;
    signalfd_siginfo info;
    while (read(signals_, &info, sizeof info) == sizeof info)
        (is_interrupt(info.ssi_signo) ? interrupted : child_has_changed_) = true;
    return interrupted;
}

void EventLoop::forget_interrupts() {
    take_interrupt();
}

}  // namespace lantern
