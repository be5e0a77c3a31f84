#include "cli/diagnosis_run.h"

#include <fmt/format.h>
#include <signal.h>
#include <time.h>

#include <algorithm>
#include <filesystem>
#include <memory>
#include <optional>

#include "cli/diagnosis_return.h"
#include "core/expressions/evaluator.h"
#include "core/session/sanitizer_reports.h"
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

// "index out of bounds: …, at lockgates.rs:42 (pass, thread 2)"
std::string panic_words(const Diagnosis& panic) {
    auto message = std::ranges::find(panic.facts, "panic", &StopFact::label);
    std::string words = message == panic.facts.end() ? "a panic" : message->text;
    if (!panic.line) return words;
    return fmt::format("{}, at {}:{} ({}, thread {})", words,
                       std::filesystem::path(panic.file).filename().string(), panic.line,
                       panic.function, panic.thread);
}

}  // namespace

// Of a panic that the program did not get over: it is told where it began, not where it ended. One
// before it is often the cause: of a thread that is waited for, or of one that held a lock.
Diagnosis diagnosis_of_run(Session& session, double hang_after) {
    try {
        Breakpoint panics;
        panics.cause = Cause::panic;
        session.add_breakpoint(panics, true);
    } catch (const Error&) {  // nothing of it is written in Rust
    }
    heed_sanitizer(session);
    std::optional<Diagnosis> panic;
    auto alarm = hang_after > 0 ? std::make_unique<Alarm>(hang_after) : nullptr;
    Stop stop = session.launch_again();
    while (stop.reason == StopReason::event && stop.cause == Cause::panic) {
        Diagnosis next = diagnose(session.moment());
        if (panic) next.facts.push_back({"before", panic_words(*panic)});
        panic = std::move(next);
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

namespace {

struct Watched {
    std::string name;
    std::uint64_t address = 0, size = 0;
};

// Nothing where the name is that of a register, or has no meaning in the frame.
std::optional<Watched> place_named(Session& session, const std::string& name, unsigned level) {
    if (name.empty()) return std::nullopt;
    try {
        session.select_frame(level);
        Value value = evaluate(name, session.context());
        std::uint64_t size = plain(*value.type).size;
        bool can_be_watched = value.address && (size == 1 || size == 2 || size == 4 || size == 8);
        if (!can_be_watched) return std::nullopt;
        return Watched{name, value.address->value, size};
    } catch (const Error&) {
        return std::nullopt;
    }
}

// Where the part lies that was wrong, or else what it was read from.
std::optional<Watched> place_to_watch(Session& session, const Diagnosis& diagnosis) {
    constexpr std::uint64_t kWord = 8;
    if (diagnosis.part_at) return Watched{diagnosis.part, diagnosis.part_at, kWord};
    auto place = place_named(session, diagnosis.part, diagnosis.part_level);
    for (const OriginLink& link : diagnosis.origin)
        if (!place) place = place_named(session, link.name, link.level);
    return place;
}

// Nothing where the memory is not there yet.
std::optional<unsigned> watch(Session& session, const Watched& watched) {
    const char* type = watched.size == 8   ? "unsigned long"
                       : watched.size == 4 ? "unsigned int"
                       : watched.size == 2 ? "unsigned short"
                                           : "unsigned char";
    Breakpoint wish;
    wish.cause = Cause::write;
    wish.subject = fmt::format("*({} *){:#x}", type, watched.address);
    try {
        return session.add_breakpoint(wish).number;
    } catch (const Error&) {
        return std::nullopt;
    }
}

// From the beginning of main, or from when the memory is there: before anybody can have written it.
bool begin_watching(Session& session, const Watched& watched) {
    constexpr unsigned kRequests = 2000;  // of memory
    Stop stop = begin_anew(session);
    if (watch(session, watched)) return true;
    std::vector<unsigned> waiting;
    for (const char* request : {"brk", "mmap"}) {
        Breakpoint wish;
        wish.cause = Cause::system_call;
        wish.subject = request;
        waiting.push_back(session.add_breakpoint(wish).number);
    }
    bool is_watched = false;
    for (unsigned i = 0; i < kRequests && !stop.is_end() && !is_watched; ++i) {
        stop = session.continue_running();
        if (stop.reason == StopReason::signal) break;
        is_watched = !stop.is_end() && watch(session, watched);
    }
    for (unsigned number : waiting) session.drop_breakpoint(number);
    return is_watched;
}

bool lies_on_stack(Session& session, const Watched& watched) {
    const Frame* frame = session.moment().stack().frame(0);
    if (!frame) return false;
    const MemoryRegion* stack = session.target().region_at(frame->registers.stack_pointer());
    return stack && stack->contains(RunAddress(watched.address));
}

// What the function that failed sets first; before that other calls had the place for something
// else. The last write comes first.
void leave_out_other_calls(const Diagnosis& diagnosis, std::vector<OriginLink>& writes) {
    std::size_t kept = diagnosis.part_at ? 1 : 0;
    while (kept < writes.size() && writes[kept].function != diagnosis.function) ++kept;
    if (!diagnosis.part_at && kept < writes.size()) ++kept;
    writes.resize(std::min(kept, writes.size()));
}

// Of what a library wrote: the line of the user's own code that had it done.
void lead_to_own_code(const Moment& moment, OriginLink& link) {
    constexpr unsigned kFramesLookedAt = 24;
    const LibraryRules& libraries = moment.libraries();
    for (unsigned level = 0; level < kFramesLookedAt; ++level) {
        const Frame* frame = moment.stack().frame(level);
        if (!frame) return;
        bool is_users = frame->line && frame->module && !libraries.is_library(*frame->module) &&
                        !libraries.is_library_source(frame->line->file);
        if (!is_users) continue;
        if (level == 0) return;
        link.text += " in " + link.function;
        link.function = frame_function_name(*frame);
        link.file = frame->line->file;
        link.line = frame->line->line;
        return;
    }
}

OriginLink link_of(Session& session, const WatchChange& change, const std::string& part) {
    OriginLink link;
    std::uint64_t after = 0;
    try {
        after = ValueReader(session.target()).integer(change.after);
    } catch (const Error&) {
    }
    link.text = fmt::format("{} is set to {}", part, after ? fmt::format("{:#x}", after) : "0");
    link.function = change.function;
    link.file = change.file;
    link.line = change.line;
    lead_to_own_code(session.moment(), link);
    return link;
}

constexpr const char* kNowhereToWatch =
    "it was not run again: what was wrong lies nowhere that can be watched";

void watch_in_further_runs(Session& session, Diagnosis& diagnosis, unsigned times) {
    constexpr std::size_t kWritesShown = 3;
    constexpr unsigned kMostWrites = 20'000;
    auto watched = place_to_watch(session, diagnosis);
    if (!watched) {
        diagnosis.confirmed = kNowhereToWatch;
        return;
    }
    unsigned same = 0;
    for (unsigned run = 0; run < times; ++run) {
        if (!begin_watching(session, *watched)) {
            diagnosis.confirmed =
                "when it was run again, the memory was not there early enough to be watched";
            return;
        }
        std::vector<OriginLink> writes;
        unsigned count = 0;
        Stop stop = session.continue_running();
        for (; !stop.is_end() && stop.reason != StopReason::signal && count < kMostWrites;
             ++count) {
            for (const WatchChange& change : stop.changes)
                writes.push_back(link_of(session, change, watched->name));
            if (writes.size() > kWritesShown) writes.erase(writes.begin());
            stop = session.continue_running();
        }
        if (count == kMostWrites) {
            diagnosis.confirmed = fmt::format(
                "when it was run again, {} was written {} times without an end: it was given up",
                watched->name, kMostWrites);
            return;
        }
        if (stop.reason != StopReason::signal) continue;
        Diagnosis again = diagnose(session.moment());
        bool is_same = again.function == diagnosis.function && again.line == diagnosis.line &&
                       again.part == diagnosis.part && again.part_is == diagnosis.part_is;
        if (!is_same) continue;
        ++same;
        std::reverse(writes.begin(), writes.end());
        if (lies_on_stack(session, *watched)) leave_out_other_calls(diagnosis, writes);
        diagnosis.writes = std::move(writes);
    }
    diagnosis.confirmed = fmt::format(
        "it failed in the same way in {} of {} further runs{}", same, times,
        diagnosis.writes.empty() && same
            ? fmt::format(", and what {} holds never changed in them from main on", watched->name)
            : "");
}

}  // namespace

void confirm(Session& session, Diagnosis& diagnosis, unsigned times) {
    watch_in_further_runs(session, diagnosis, times);
    std::vector<OriginLink> lines = lines_that_returned(session, diagnosis);
    if (lines.empty()) return;
    diagnosis.origin.insert(diagnosis.origin.end(), lines.begin(), lines.end());
    if (diagnosis.confirmed == kNowhereToWatch)
        diagnosis.confirmed =
            "it failed in the same way in a further run; what was wrong lies nowhere that can be "
            "watched";
}

}  // namespace lantern::cli
