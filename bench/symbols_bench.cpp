// Reading a program's names, beside one pass over the same bytes.
#include <benchmark/benchmark.h>

#include <cstdlib>

#include "core/symbols/module_symbols.h"

namespace lantern::bench {
namespace {

// LANTERN_BENCH_PROGRAM names another program, such as one of Debian's -dbg packages.
const char* program() {
    const char* named = std::getenv("LANTERN_BENCH_PROGRAM");
    return named ? named : DEMO_PROGRAM;
}

void BytesFloor(benchmark::State& state) {
    ElfFile file(program());
    std::size_t size = 0;
    for (auto _ : state) {
        std::uint64_t sum = 0;
        size = 0;
        for (const char* name : {".debug_info", ".debug_abbrev", ".debug_line"}) {
            for (std::byte b : file.bytes(name)) sum += static_cast<std::uint64_t>(b);
            size += file.bytes(name).size();
        }
        benchmark::DoNotOptimize(sum);
    }
    state.SetBytesProcessed(static_cast<std::int64_t>(size) * state.iterations());
}
BENCHMARK(BytesFloor)->Unit(benchmark::kMicrosecond);

void NameIndex(benchmark::State& state) {
    std::size_t size = ElfFile(program()).bytes(".debug_info").size();
    for (auto _ : state) {
        ModuleSymbols symbols{std::filesystem::path(program())};
        benchmark::DoNotOptimize(symbols.index().names().size());
    }
    state.SetBytesProcessed(static_cast<std::int64_t>(size) * state.iterations());
}
BENCHMARK(NameIndex)->Unit(benchmark::kMicrosecond);

}  // namespace
}  // namespace lantern::bench
