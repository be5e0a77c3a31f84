// Stopping and going on, each beside its floor, both measured in turn in the same run: machines
// change their speed.
#include <benchmark/benchmark.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <fstream>

#include "bench/clock.h"
#include "bench/floor_control.h"
#include "core/session/session.h"
#include "core/target/live_process.h"

namespace lantern::bench {
namespace {

constexpr long kHits = 4000;

LaunchOptions passes_options(std::vector<std::string> arguments, std::string output = "/dev/null") {
    LaunchOptions options;
    options.program = PASSES_PROGRAM;
    options.arguments = std::move(arguments);
    options.input_file = "/dev/null";
    options.output_file = std::move(output);
    return options;
}

struct Addresses {
    Addresses() : symbols(PASSES_PROGRAM), entry(symbols.elf().entry().value) {}
    std::uint64_t of(const char* name) const {
        return symbols.symbol_table().named(name)->address.value;
    }
    ModuleSymbols symbols;
    std::uint64_t entry;
};

// Rounds of ours and of the floor in turn; the ratio is of the medians, in hits a second.
template <class Ours, class Floor>
void compare(benchmark::State& state, Ours ours, Floor floor) {
    std::vector<double> our_times, floor_times;
    for (auto _ : state) {
        floor_times.push_back(floor());
        our_times.push_back(ours());
        state.SetIterationTime(our_times.back());
    }
    auto median = [](std::vector<double>& times) {
        std::sort(times.begin(), times.end());
        return times[times.size() / 2];
    };
    state.counters["us_each"] = median(our_times) * 1e6;
    state.counters["floor_us"] = median(floor_times) * 1e6;
    state.counters["of_floor_speed"] = median(floor_times) / median(our_times);
}

double hits_of(Breakpoint wish, const char* place) {
    Session session(passes_options({"pass", std::to_string(kHits)}), {});
    wish.place = session.place(place);
    session.add_breakpoint(std::move(wish));
    auto start = Clock::now();
    session.launch_again();
    const Breakpoint& counted = session.breakpoints().front();
    if (counted.counts->hits + counted.counts->passes != kHits) std::abort();
    return seconds_since(start) / kHits;
}

void FalseCondition(benchmark::State& state) {
    Addresses addresses;
    std::vector<std::string> command{PASSES_PROGRAM, "pass", std::to_string(kHits)};
    compare(
        state,
        [] {
            Breakpoint wish;
            wish.condition = "turn == 123456789";
            return hits_of(wish, "pass");
        },
        [&] { return floor_of_breakpoint(command, addresses.of("pass"), addresses.entry); });
}
BENCHMARK(FalseCondition)->UseManualTime()->Iterations(9)->Unit(benchmark::kMicrosecond);

void NoteOfThreeValues(benchmark::State& state) {
    Addresses addresses;
    std::vector<std::string> command{PASSES_PROGRAM, "pass", std::to_string(kHits)};
    compare(
        state,
        [] {
            Breakpoint wish;
            wish.noted = {"toll", "barge", "turn"};
            return hits_of(wish, "passes.c:20");
        },
        [&] { return floor_of_breakpoint(command, addresses.of("pass"), addresses.entry); });
}
BENCHMARK(NoteOfThreeValues)->UseManualTime()->Iterations(9)->Unit(benchmark::kMicrosecond);

void WatchWithACondition(benchmark::State& state) {
    Addresses addresses;
    std::vector<std::string> command{PASSES_PROGRAM, "write", std::to_string(kHits)};
    compare(
        state,
        [] {
            Session session(passes_options({"write", std::to_string(kHits)}), {});
            session.reach(session.place("main"));
            Breakpoint wish;
            wish.cause = Cause::write;
            wish.subject = "level";
            wish.condition = "level == 123456789";
            session.add_breakpoint(wish);
            auto start = Clock::now();
            session.continue_running();
            return seconds_since(start) / kHits;
        },
        [&] { return floor_of_watch(command, addresses.of("level"), addresses.entry); });
}
BENCHMARK(WatchWithACondition)->UseManualTime()->Iterations(9)->Unit(benchmark::kMicrosecond);

// 64 threads, 2000 passes each, exactly counted.
void SixtyFourThreads(benchmark::State& state) {
    double seconds = 0;
    for (auto _ : state) {
        LaunchOptions options = passes_options({"count", "64", "2000"});
        options.program = CONTROL_PROGRAM;
        Session session(options, {});
        session.add_breakpoint(session.place("pass"), "toll == 123456789");
        auto start = Clock::now();
        session.launch_again();
        seconds = seconds_since(start);
        state.SetIterationTime(seconds);
        if (session.breakpoints().front().counts->passes != 128'000)
            state.SkipWithError("hits were lost or counted twice");
    }
    state.counters["us_each"] = seconds / 128'000 * 1e6;
}
BENCHMARK(SixtyFourThreads)->UseManualTime()->Iterations(1)->Unit(benchmark::kMillisecond);

// The program times its own work, plain and with its page watched; `every` operations write beside
// what is watched.
double work_seconds(long operations, long every, bool watched) {
    std::string output = "/tmp/lantern-bench-work-" + std::to_string(getpid());
    {
        Session session(
            passes_options({"work", std::to_string(operations), std::to_string(every)}, output),
            {});
        session.reach(session.place("pass"));
        if (watched) {
            Breakpoint wish;
            wish.cause = Cause::write;
            wish.subject = "here.watched";
            session.add_breakpoint(wish);
        }
        session.continue_running();
    }
    double seconds = 0;
    std::ifstream(output) >> seconds;
    unlink(output.c_str());
    return seconds;
}

void WatchedPage(benchmark::State& state) {
    constexpr long kOperations = 2'000'000;
    long every = state.range(0);
    std::vector<double> slower;
    for (auto _ : state) {
        double plain = work_seconds(kOperations, every, false),
               watched = work_seconds(kOperations, every, true);
        slower.push_back(watched / plain);
        state.SetIterationTime(watched);
    }
    std::sort(slower.begin(), slower.end());
    state.counters["times_slower"] = slower[slower.size() / 2];
}
BENCHMARK(WatchedPage)
    ->Arg(1000)
    ->Arg(0)
    ->UseManualTime()
    ->Iterations(5)
    ->Unit(benchmark::kMillisecond);

void AttachAndRelease(benchmark::State& state) {
    int ready[2];
    if (pipe(ready)) return;
    // A process that is nobody's child of ours, as those are that a user attaches to.
    int tells[2];
    if (pipe(tells)) return;
    pid_t between = fork();
    if (between == 0) {
        pid_t child = fork();
        if (child == 0) {
            dup2(ready[1], 1);
            execl(PASSES_PROGRAM, "passes", "threads", "500", nullptr);
        }
        (void)!write(tells[1], &child, sizeof child);
        _exit(0);
    }
    pid_t child = 0;
    char line[16];
    waitpid(between, nullptr, 0);
    if (read(tells[0], &child, sizeof child) != sizeof child ||
        read(ready[0], line, sizeof line) < 5)
        return;
    double attached = 0, released = 0;
    std::size_t threads = 0;
    for (auto _ : state) {
        auto start = Clock::now();
        Session session(child, {});
        attached = std::max(attached, seconds_since(start));
        threads = session.process().threads().size();
        start = Clock::now();
        session.release();
        released = std::max(released, seconds_since(start));
        state.SetIterationTime(attached + released);
    }
    state.counters["threads"] = static_cast<double>(threads);
    state.counters["attach_ms"] = attached * 1e3;
    state.counters["release_ms"] = released * 1e3;
    kill(child, SIGKILL);
}
BENCHMARK(AttachAndRelease)->UseManualTime()->Iterations(5)->Unit(benchmark::kMillisecond);

// How often the target stops for one movement.
void StopsOfMovements(benchmark::State& state) {
    for (auto _ : state) {
        LaunchOptions options = passes_options({"deep", "10000"});
        options.program = CONTROL_PROGRAM;
        Session session(options, {});
        session.add_breakpoint(session.place("descend"), "depth == 0");
        session.launch_again();
        session.select_frame(9999);
        state.counters["out_of_10000"] = static_cast<double>(session.out().target_stops);
        state.counters["over_a_line"] = static_cast<double>(session.over_line().target_stops);
        LaunchOptions lazy = passes_options({});
        lazy.program = LAZY_PROGRAM;
        Session late(lazy, {});
        late.reach(late.place("values_returned"));
        late.over_line();
        late.over_line();
        state.counters["into_by_late_binding"] = static_cast<double>(late.into_line().target_stops);
    }
}
BENCHMARK(StopsOfMovements)->Iterations(1);

}  // namespace
}  // namespace lantern::bench
