// Launch to the first stop at main, and a step over a long call, each beside its floor.
#include <benchmark/benchmark.h>

#include <chrono>

#include "bench/floor_launch.h"
#include "core/session/session.h"
#include "core/target/live_process.h"

namespace lantern::bench {
namespace {

LaunchOptions demo_options(const char* program) {
    LaunchOptions options;
    options.program = program;
    options.input_file = options.output_file = "/dev/null";
    return options;
}

void LaunchFloor(benchmark::State& state) {
    ModuleSymbols symbols(DEMO_PROGRAM);
    std::uint64_t main = symbols.symbol_table().named("main")->address.value,
                  entry = symbols.elf().entry().value;
    for (auto _ : state) benchmark::DoNotOptimize(floor_launch(DEMO_PROGRAM, main, entry));
}
BENCHMARK(LaunchFloor)->Unit(benchmark::kMicrosecond)->UseRealTime()->MinTime(2);

// Everything from the command to the stop, breakpoint looked up and registers read, and the end of
// the program.
void LaunchToMain(benchmark::State& state) {
    Session session(demo_options(DEMO_PROGRAM), {});
    session.add_breakpoint(session.place("main"));
    for (auto _ : state) {
        Stop stop = session.launch_again();
        benchmark::DoNotOptimize(session.process().registers(stop.thread).program_counter());
        session.kill();
    }
}
BENCHMARK(LaunchToMain)->Unit(benchmark::kMicrosecond)->UseRealTime()->MinTime(2);

// The same with a new session each time: the program's tables are read anew.
void OpenAndLaunchToMain(benchmark::State& state) {
    for (auto _ : state) {
        Session session(demo_options(DEMO_PROGRAM), {});
        session.add_breakpoint(session.place("main"));
        Stop stop = session.launch_again();
        benchmark::DoNotOptimize(session.process().registers(stop.thread).program_counter());
    }
}
BENCHMARK(OpenAndLaunchToMain)->Unit(benchmark::kMicrosecond)->UseRealTime()->MinTime(2);

// over on `turn(1250000)`: ten million instructions. The program times the second of its two calls
// itself while nobody steps; that is the plain call.
void OverALongCall(benchmark::State& state) {
    Session session(demo_options(BUSY_PROGRAM), {});
    double plain_ms = 0, stepped_ms = 0;
    std::uint64_t stops = 0;
    for (auto _ : state) {
        session.reach(session.place("busy.c:22"));
        auto before = std::chrono::steady_clock::now();
        Stop stop = session.over_line();
        double spent =
            std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - before)
                .count();
        state.SetIterationTime(spent / 1e3);
        stepped_ms += spent;
        stops = std::max(stops, stop.target_stops);
        session.reach(session.place("busy.c:27"));
        plain_ms += static_cast<double>(
            ValueReader(session.target()).floating(evaluate("spent_ms", session.context())));
        session.kill();
    }
    double rounds = static_cast<double>(state.iterations());
    state.counters["plain_call_ms"] = plain_ms / rounds;
    state.counters["over_ms"] = stepped_ms / rounds;
    state.counters["target_stops"] = static_cast<double>(stops);
}
BENCHMARK(OverALongCall)->Unit(benchmark::kMillisecond)->UseManualTime()->MinTime(1);

}  // namespace
}  // namespace lantern::bench
