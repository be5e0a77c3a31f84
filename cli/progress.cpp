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
std::function<bool()> is_to_be_given_up;

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

namespace {

// Tells how far one piece of work has come; another piece, or a long silence, begins a new one.
class Teller {
  public:
    void tell(const std::string& what, const std::string& advice, double done) {
        auto now = Clock::now();
        if (what != before_ || now - last_ > std::chrono::seconds(2)) started_ = now;
        before_ = what;
        last_ = now;
        if (interrupted() || is_given_up(now)) {
            clear_progress();
            throw RequestError(what + " was broken off", advice);
        }
        if (!isatty(2) || now - started_ < std::chrono::milliseconds(300)) return;
        std::fputs(fmt::format("\r{} … {:.0f} %  ", what, 100 * done).c_str(), stderr);
        std::fflush(stderr);
        line_is_shown = true;
        if (done >= 1) clear_progress();
    }

  private:
    using Clock = std::chrono::steady_clock;

    bool is_given_up(Clock::time_point now) {
        constexpr std::chrono::milliseconds kBetween(50);
        if (!is_to_be_given_up || now - asked_ < kBetween) return false;
        asked_ = now;
        return is_to_be_given_up();
    }

    Clock::time_point started_, last_, asked_;
    std::string before_;
};

}  // namespace

std::function<void(const std::string&, double)> names_progress() {
    return [teller = Teller()](const std::string& file, double done) mutable {
        teller.tell(
            fmt::format("reading the names of {}", std::filesystem::path(file).filename().string()),
            "the next question that needs them begins anew", done);
    };
}

std::function<void(double)> work_progress(std::string what) {
    return [teller = Teller(), what = std::move(what)](double done) mutable {
        teller.tell(what, "the same command begins anew", done);
    };
}

void give_up_when(std::function<bool()> is_wanted) {
    is_to_be_given_up = std::move(is_wanted);
}

void clear_progress() {
    if (line_is_shown) std::fputs("\r\x1b[K", stderr);
    line_is_shown = false;
}

}  // namespace lantern::cli
