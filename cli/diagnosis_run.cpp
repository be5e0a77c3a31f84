#include "cli/diagnosis_run.h"

#include <fmt/format.h>
#include <signal.h>
#include <time.h>

#include <filesystem>
#include <memory>
#include <optional>

#include "core/session/signal_rules.h"
#include "core/support/error.h"

namespace lantern::cli {
namespace {

// Pauses the program after so long, as Ctrl-C would.
class Alarm {
  public:
    explicit Alarm(double seconds) {
        sigevent event{};
        event.sigev_notify = SIGEV_SIGNAL;
        event.sigev_signo = SIGINT;
        itimerspec when{};
        when.it_value.tv_sec = static_cast<time_t>(seconds);
        when.it_value.tv_nsec =
            static_cast<long>((seconds - static_cast<double>(when.it_value.tv_sec)) * 1e9);
        if (timer_create(CLOCK_MONOTONIC, &event, &timer_) != 0 ||
            timer_settime(timer_, 0, &when, nullptr) != 0)
            throw TargetError("no timer is to be had");
    }
    Alarm(const Alarm&) = delete;
    Alarm& operator=(const Alarm&) = delete;
    ~Alarm() { timer_delete(timer_); }

  private:
    timer_t timer_{};
};

// How a program ended that nothing stopped on its way.
Diagnosis diagnosis_of_end(const Session& session, const Stop& stop) {
    Diagnosis report;
    report.program = std::filesystem::path(session.program()).filename().string();
    report.has_failed = stop.reason == StopReason::killed || stop.exit_code != 0;
    report.what = stop.reason == StopReason::killed
                      ? fmt::format("{} ended the program", signal_name(stop.signal))
                  : stop.exit_code ? fmt::format(
                                         "the program ended by itself, with the exit "
                                         "status {}",
                                         stop.exit_code)
                                   : "the program ended well: its exit status is 0";
    return report;
}

// It is looked at several times, a moment apart.
Diagnosis diagnosis_of_hang(Session& session, double seconds) {
    constexpr unsigned kTimes = 6;
    constexpr double kApart = 0.05;
    HangSamples samples;
    for (unsigned i = 0; i < kTimes; ++i) {
        samples.take(session.moment());
        Alarm alarm(kApart);
        Stop stop = session.continue_running();
        if (stop.is_end()) return diagnosis_of_end(session, stop);
        if (stop.reason != StopReason::paused) return diagnose(session.moment());
    }
    return diagnose_hang(session.moment(), samples, seconds);
}

}  // namespace

// Of a panic that the program did not get over: it is told where it began, not where it ended.
Diagnosis diagnosis_of_run(Session& session, double hang_after) {
    try {
        Breakpoint panics;
        panics.cause = Cause::panic;
        session.add_breakpoint(panics, true);
    } catch (const Error&) {  // nothing of it is written in Rust
    }
    std::optional<Diagnosis> panic;
    auto alarm = hang_after > 0 ? std::make_unique<Alarm>(hang_after) : nullptr;
    Stop stop = session.launch_again();
    while (stop.reason == StopReason::event) {
        panic = diagnose(session.moment());
        stop = session.continue_running();
    }
    alarm.reset();
    if (stop.reason == StopReason::paused && hang_after > 0)
        return diagnosis_of_hang(session, hang_after);
    if (!stop.is_end())
        return panic && stop.signal == SIGABRT ? *panic : diagnose(session.moment());
    Diagnosis end = diagnosis_of_end(session, stop);
    return end.has_failed && panic ? *panic : end;
}

}  // namespace lantern::cli
