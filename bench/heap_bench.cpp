// The heap, each figure beside its floor: one pass over the same bytes.
#include <benchmark/benchmark.h>

#include <chrono>

#include "bench/clock.h"
#include "core/heap/reachability.h"
#include "core/session/session.h"

namespace lantern::bench {
namespace {

struct Berths {
    explicit Berths(std::int64_t blocks) : session(options(blocks), {}) {
        session.reach(session.place("look_here"));
    }
    static LaunchOptions options(std::int64_t blocks) {
        LaunchOptions made;
        made.program = BERTHS_PROGRAM;
        made.arguments = {std::to_string(blocks)};
        made.input_file = made.output_file = "/dev/null";
        return made;
    }
    // Reads the memory of all arenas once, and adds up its words.
    double floor(const Heap& heap) {
        std::vector<std::byte> buffer(1 << 20);
        std::uint64_t sum = 0;
        auto start = Clock::now();
        for (const HeapArena& arena : heap.arenas)
            for (const RunRange& piece : arena.pieces)
                for (RunAddress at = piece.low; at < piece.high; at = at + buffer.size()) {
                    session.target().read_bulk(at, buffer);
                    const auto* words = reinterpret_cast<const std::uint64_t*>(buffer.data());
                    for (std::size_t i = 0; i < buffer.size() / 8; ++i) sum += words[i];
                }
        benchmark::DoNotOptimize(sum);
        return seconds_since(start);
    }
    Session session;
};

void HeapOfManyBlocks(benchmark::State& state) {
    Berths berths(state.range(0));
    for (auto _ : state) {
        auto start = Clock::now();
        Heap heap = read_heap(berths.session.target());
        state.SetIterationTime(seconds_since(start));
        state.counters["blocks"] = static_cast<double>(heap.blocks.size());
        state.counters["floor_s"] = berths.floor(heap);
    }
}
BENCHMARK(HeapOfManyBlocks)
    ->Arg(10'000'000)
    ->UseManualTime()
    ->Iterations(2)
    ->Unit(benchmark::kMillisecond);

void HeapReached(benchmark::State& state) {
    Berths berths(state.range(0));
    Heap heap = read_heap(berths.session.target());
    for (auto _ : state) {
        auto start = Clock::now();
        Reachability reach(berths.session.target(), heap, {});
        state.SetIterationTime(seconds_since(start));
        std::size_t lost = 0;
        for (std::size_t i = 0; i < heap.blocks.size(); ++i)
            lost += heap.blocks[i].is_in_use() && reach.of(i) == Reachability::Kind::lost;
        if (lost) state.SkipWithError("blocks that are reached are called lost");
        state.counters["floor_s"] = berths.floor(heap);
    }
}
BENCHMARK(HeapReached)
    ->Arg(10'000'000)
    ->Arg(40'000'000)
    ->UseManualTime()
    ->Iterations(2)
    ->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace lantern::bench
