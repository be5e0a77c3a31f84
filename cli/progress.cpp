#include "cli/progress.h"

#include <fmt/format.h>
#include <unistd.h>

#include <chrono>
#include <csignal>
#include <cstdio>
#include <filesystem>

#include "core/support/error.h"

namespace lantern::cli {
namespace {

bool line_is_shown = false;

bool interrupted() {
    sigset_t pending, interrupt;
    sigpending(&pending);
    if (sigismember(&pending, SIGINT) != 1) return false;
    sigemptyset(&interrupt);
    sigaddset(&interrupt, SIGINT);
    timespec none{};
    sigtimedwait(&interrupt, nullptr, &none);
    return true;
}

}  // namespace

std::function<void(const std::string&, double)> names_progress() {
    using Clock = std::chrono::steady_clock;
    return [started = Clock::time_point(), last = Clock::time_point(), file_before = std::string()](const std::string& file, double done) mutable {
        auto now = Clock::now();
        if (file != file_before || now - last > std::chrono::seconds(2)) started = now;
        file_before = file;
        last = now;
        if (interrupted()) {
            clear_progress();
            throw RequestError("the reading of names was broken off", "the next question that needs them begins anew");
        }
        if (!isatty(2) || now - started < std::chrono::milliseconds(300)) return;
        std::fputs(fmt::format("\rreading the names of {} … {:.0f} %  ", std::filesystem::path(file).filename().string(), 100 * done).c_str(), stderr);
        std::fflush(stderr);
        line_is_shown = true;
        if (done >= 1) clear_progress();
    };
}

void clear_progress() {
    if (line_is_shown) std::fputs("\r\x1b[K", stderr);
    line_is_shown = false;
}

}  // namespace lantern::cli
