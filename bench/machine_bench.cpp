// The machine level, each beside its floor in the same run: call stacks, registers, disassembly,
// core files, searching memory.
#include <benchmark/benchmark.h>
#include <fcntl.h>
#include <sys/ptrace.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/uio.h>
#include <sys/user.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstring>
#include <fstream>

#include "bench/clock.h"
#include "core/analysis/memory_report.h"
#include "core/session/session.h"
#include "core/target/core_file.h"
#include "core/target/core_writer.h"
#include "core/target/live_process.h"
#include "core/unwind/unwinder.h"

namespace lantern::bench {
namespace {

LaunchOptions options_for(const std::string& program, std::vector<std::string> arguments) {
    LaunchOptions options;
    options.program = program;
    options.arguments = std::move(arguments);
    options.input_file = "/dev/null";
    options.output_file = "/dev/null";
    return options;
}

// A recursion of 100,000 frames, walked again and again; the floor reads the same stack through the
// same cache, two words a frame.
void UnwindingADeepRecursion(benchmark::State& state) {
    Session session(options_for(MACHINE_PROGRAM, {"deep", "100000"}), {});
    session.reach(session.place("innermost"));
    LiveProcess& process = session.process();
    {
        Unwinder warm(process, session.thread());
        warm.frame(200'000);
    }
    double frames = 0, floor = 0;
    for (auto _ : state) {
        auto start = Clock::now();
        Unwinder walk(process, session.thread());
        unsigned count = 0;
        while (walk.frame(count)) ++count;
        double seconds = seconds_since(start);
        frames = std::max(frames, count / seconds);
        start = Clock::now();
        RunAddress at = process.registers(session.thread()).stack_pointer();
        std::uint64_t sum = 0;
        for (unsigned i = 0; i < count - 5; ++i, at = at + 48)
            sum += process.read<std::uint64_t>(at) + process.read<std::uint64_t>(at + 8);
        benchmark::DoNotOptimize(sum);
        floor = std::max(floor, count / seconds_since(start));
        state.SetIterationTime(seconds);
        state.counters["frames"] = count;
    }
    state.counters["frames_a_second"] = frames;
    state.counters["floor_frames_a_second"] = floor;
}
BENCHMARK(UnwindingADeepRecursion)->UseManualTime()->Iterations(5)->Unit(benchmark::kMillisecond);

// The first stack of the demo: a program just stopped, nothing read of its symbols yet. With 1,
// with the system's own debug files where they are installed: the C library's has to be
// decompressed for the names of its frames; with 2, that was done in an earlier session.
void FirstStack(benchmark::State& state) {
    for (auto _ : state) {
        SymbolSearch search;
        if (!state.range(0)) search.system_folders.clear();
        if (state.range(0) == 2)
            search.index_folder = std::filesystem::temp_directory_path() / "elm-lantern-bench";
        Session session(options_for(DEMO_PROGRAM, {}), {}, search);
        session.reach(session.place("main"));
        auto start = Clock::now();
        Unwinder walk(session.target(), session.thread());
        walk.frames(100);
        state.SetIterationTime(seconds_since(start));
    }
}
BENCHMARK(FirstStack)
    ->Arg(0)
    ->Arg(1)
    ->Arg(2)
    ->UseManualTime()
    ->Iterations(9)
    ->Unit(benchmark::kMillisecond);

// General and extended registers of 500 threads; the floor is the two bare calls for each.
void RegistersOf500Threads(benchmark::State& state) {
    Session session(options_for(PASSES_PROGRAM, {"threads", "500"}), {});
    // Set going until all of them wait.
    session.reach(session.place("main"));
    session.begin_meanwhile([&] { return session.continue_running(); });
    session.wait_at_most(1);
    if (session.is_moving()) session.pause();
    LiveProcess& process = session.process();
    double ours = 0, floor = 0;
    for (auto _ : state) {
        auto start = Clock::now();
        for (ThreadId id : process.threads()) {
            benchmark::DoNotOptimize(process.registers(id).program_counter());
            benchmark::DoNotOptimize(process.extended_state(id).size());
        }
        double seconds = seconds_since(start);
        ours = std::max(ours, seconds);
        start = Clock::now();
        std::vector<std::byte> area(16384);
        for (ThreadId id : process.threads()) {
            user_regs_struct registers;
            ptrace(PTRACE_GETREGS, id, nullptr, &registers);
            iovec where{area.data(), area.size()};
            ptrace(PTRACE_GETREGSET, id, reinterpret_cast<void*>(0x202L), &where);
        }
        floor = std::max(floor, seconds_since(start));
        state.SetIterationTime(seconds);
    }
    state.counters["threads"] = static_cast<double>(process.threads().size());
    state.counters["ms_worst"] = ours * 1e3;
    state.counters["floor_ms"] = floor * 1e3;
}
BENCHMARK(RegistersOf500Threads)->UseManualTime()->Iterations(5)->Unit(benchmark::kMillisecond);

double seconds_of(const std::string& command) {
    auto start = Clock::now();
    if (std::system(command.c_str()) != 0) return 0;
    return seconds_since(start);
}

// A whole program's code, ours and the toolchain's dumper in turn.
void DisassembleAProgram(benchmark::State& state) {
    std::vector<double> times;
    for (auto _ : state) {
        double ours = seconds_of(std::string(LANTERN_PROGRAM) + " disassembly " DISASSEMBLED
                                                                " > /dev/null"),
               theirs = seconds_of("objdump -d " DISASSEMBLED " > /dev/null");
        state.SetIterationTime(ours);
        times.push_back(theirs / ours);
    }
    std::sort(times.begin(), times.end());
    state.counters["times_the_dumper"] = times[times.size() / 2];
}
BENCHMARK(DisassembleAProgram)->UseManualTime()->Iterations(5)->Unit(benchmark::kMillisecond);

long resident_kilobytes() {
    long pages = 0, ignored = 0;
    std::ifstream("/proc/self/statm") >> ignored >> pages;
    return pages * 4;
}

// A core of 4 GB, nearly all of it holes.
void OpenASparseCore(benchmark::State& state) {
    std::string path = "/tmp/lantern-bench-core-" + std::to_string(getpid());
    {
        Session session(options_for(MACHINE_PROGRAM, {"deep", "3"}), {});
        session.reach(session.place("innermost"));
        session.process().system_call(session.thread(), 9 /* mmap */,
                                      {0, std::uint64_t{4} << 30, 3, 0x4022, ~std::uint64_t{0}, 0});
        CoreWish wish;
        wish.thread = session.thread();
        write_core(session.process(), wish, path);
    }
    struct stat facts {};
    stat(path.c_str(), &facts);
    for (auto _ : state) {
        long before = resident_kilobytes();
        auto start = Clock::now();
        Session session(CoreRequest{path, ""}, {});
        session.stack().frames(20);
        state.SetIterationTime(seconds_since(start));
        state.counters["memory_mb"] = static_cast<double>(resident_kilobytes() - before) / 1024;
    }
    state.counters["core_gb"] = static_cast<double>(facts.st_size) / (1 << 30);
    unlink(path.c_str());
}
BENCHMARK(OpenASparseCore)->UseManualTime()->Iterations(5)->Unit(benchmark::kMillisecond);

// 512 MB of a live process; the floor reads it and looks for one byte.
void FindBytes(benchmark::State& state) {
    Session session(options_for(MACHINE_PROGRAM, {"deep", "3"}), {});
    session.reach(session.place("innermost"));
    constexpr std::uint64_t kSize = std::uint64_t{512} << 20;
    RunAddress at(static_cast<std::uint64_t>(session.process().system_call(
        session.thread(), 9 /* mmap */, {0, kSize, 3, 0x8022, ~std::uint64_t{0}, 0})));
    std::vector<std::byte> pattern(1 << 20);
    for (std::size_t i = 0; i < pattern.size(); ++i)
        pattern[i] = static_cast<std::byte>(i * 2654435761u >> 13);
    for (std::uint64_t offset = 0; offset < kSize; offset += pattern.size())
        session.write_memory(at + offset, pattern);
    MemoryFindQuery query;
    query.what = "bytes";
    query.bytes = {std::byte{0xde}, std::byte{0xad}, std::byte{0xbe}, std::byte{0xef},
                   std::byte{0x99}};
    query.range = RunRange{at, at + kSize};
    std::vector<std::byte> chunk(4 << 20);
    double best = 0, floor = 0;
    for (auto _ : state) {
        auto start = Clock::now();
        MemoryFindReport report = report_memory_find(session.moment(), query);
        double seconds = seconds_since(start);
        best = std::max(best, static_cast<double>(report.searched) / seconds / 1e9);
        start = Clock::now();
        for (std::uint64_t offset = 0; offset < kSize; offset += chunk.size()) {
            session.target().read_bulk(at + offset, chunk);
            benchmark::DoNotOptimize(std::memchr(chunk.data(), 0x100, chunk.size()));
        }
        floor = std::max(floor, static_cast<double>(kSize) / seconds_since(start) / 1e9);
        state.SetIterationTime(seconds);
    }
    state.counters["gb_a_second"] = best;
    state.counters["floor_gb_a_second"] = floor;
}
BENCHMARK(FindBytes)->UseManualTime()->Iterations(3)->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace lantern::bench
