#include "cli/ending.h"

#include "core/target/event_loop.h"

namespace lantern::cli {
namespace {

volatile sig_atomic_t asked_to_end = 0;

void note_signals() {
    static const bool done = [] {
        struct sigaction action {};
        action.sa_handler = [](int signal) { asked_to_end = signal; };
        for (int signal : kEndingSignals) sigaction(signal, &action, nullptr);
        return true;
    }();
    (void)done;
}

}  // namespace

sigset_t mask_for_waiting() {
    sigset_t mask;
    sigprocmask(SIG_SETMASK, nullptr, &mask);
    for (int signal : kEndingSignals) sigdelset(&mask, signal);
    return mask;
}

int wait_for_input(std::span<pollfd> watch, const timespec* moment, const sigset_t& mask) {
    note_signals();
    return ppoll(watch.data(), watch.size(), moment, &mask);
}

bool is_asked_to_end() {
    return asked_to_end != 0;
}

void end_if_asked() {
    if (asked_to_end) throw EndRequested{static_cast<int>(asked_to_end)};
}

}  // namespace lantern::cli
