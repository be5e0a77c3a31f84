#include "core/session/signal_rules.h"

#include <fmt/format.h>
#include <signal.h>
#include <string.h>

#include <algorithm>
#include <cctype>

namespace lantern {

std::string signal_name(int signal) {
    if (signal >= SIGRTMIN && signal <= SIGRTMAX)
        return signal == SIGRTMIN ? "SIGRTMIN" : fmt::format("SIGRTMIN+{}", signal - SIGRTMIN);
    const char* name = sigabbrev_np(signal);
    return name ? fmt::format("SIG{}", name) : fmt::format("signal {}", signal);
}

int signal_numbered(std::string_view given) {
    std::string name(given);
    std::transform(name.begin(), name.end(), name.begin(),
                   [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
    bool is_number =
        !name.empty() && name.size() < 3 &&
        std::all_of(name.begin(), name.end(), [](unsigned char c) { return std::isdigit(c); });
    if (is_number) {
        int number = std::stoi(name);
        return number >= 1 && number < 65 ? number : 0;
    }
    if (!name.starts_with("SIG")) name.insert(0, "SIG");
    for (int signal = 1; signal < 65; ++signal)
        if (signal_name(signal) == name) return signal;
    return 0;
}

bool ends_program(int signal) {
    switch (signal) {
        case SIGCHLD:
        case SIGCONT:
        case SIGURG:
        case SIGWINCH:
        case SIGSTOP:
        case SIGTSTP:
        case SIGTTIN:
        case SIGTTOU: return false;
        default: return true;
    }
}

}  // namespace lantern
