// Reading a program's names and lines, beside one pass over the same bytes. LANTERN_BENCH_PROGRAM
// names the program: the large one of bench/workload, or one of Debian's -dbg packages.
#include <benchmark/benchmark.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdlib>
#include <random>

#include "core/analysis/survey.h"
#include "core/symbols/code_query.h"
#include "core/symbols/index_file.h"

namespace lantern::bench {
namespace {

const char* program() {
    const char* named = std::getenv("LANTERN_BENCH_PROGRAM");
    return named ? named : DEMO_PROGRAM;
}

std::uint64_t info_size() {
    ModuleSymbols symbols{std::filesystem::path(program())};
    std::uint64_t size = 0;
    for (const auto& section : symbols.debug_info().sections()) size += section->bytes.size();
    return size;
}

void set_rate(benchmark::State& state, std::uint64_t bytes) {
    state.SetBytesProcessed(static_cast<std::int64_t>(bytes) * state.iterations());
}

void BytesFloor(benchmark::State& state) {
    SymbolSearch search;
    ElfFile file(program());
    SymbolFiles files(file, search);
    std::vector<std::string> problems;
    dwarf::Sections sections = dwarf_sections(files.dwarf_file(), "", problems);
    std::size_t size = 0;
    for (auto _ : state) {
        std::uint64_t sum = 0;
        size = 0;
        for (ByteSpan bytes : {sections.info, sections.abbrev, sections.line}) {
            for (std::byte b : bytes) sum += static_cast<std::uint64_t>(b);
            size += bytes.size();
        }
        benchmark::DoNotOptimize(sum);
    }
    set_rate(state, size);
}
BENCHMARK(BytesFloor)->Unit(benchmark::kMillisecond);

// All names, from the open file to the finished index; the rate is of .debug_info.
void NameIndex(benchmark::State& state) {
    std::size_t names = 0, memory = 0;
    std::uint64_t size = info_size();
    for (auto _ : state) {
        ModuleSymbols symbols{std::filesystem::path(program())};
        names = symbols.index().names().size();
        memory = symbols.index().memory();
    }
    set_rate(state, size);
    state.counters["names"] = static_cast<double>(names);
    state.counters["bytes_per_name"] =
        static_cast<double>(memory) / static_cast<double>(std::max<std::size_t>(names, 1));
}
BENCHMARK(NameIndex)->Unit(benchmark::kMillisecond)->UseRealTime();

// The same without opening and decompressing: the pass itself.
void NamePass(benchmark::State& state) {
    ModuleSymbols symbols{std::filesystem::path(program())};
    std::uint64_t size = info_size();
    for (auto _ : state)
        benchmark::DoNotOptimize(
            SymbolIndex::build(symbols.debug_info(), symbols.code_areas()).names().size());
    set_rate(state, size);
}
BENCHMARK(NamePass)->Unit(benchmark::kMillisecond)->UseRealTime();

std::vector<FileAddress> some_addresses(std::size_t count) {
    ModuleSymbols symbols{std::filesystem::path(program())};
    std::span<const CodeRange> code = symbols.index().tables().code;
    std::mt19937_64 random(20261123);
    std::vector<FileAddress> addresses;
    while (addresses.size() < count && !code.empty()) {
        const CodeRange& range = code[random() % code.size()];
        addresses.push_back(range.low + random() % range.size);
    }
    return addresses;
}

void FirstAddressToLine(benchmark::State& state) {
    auto addresses = some_addresses(200);
    std::size_t i = 0;
    for (auto _ : state) {
        ModuleSymbols symbols{std::filesystem::path(program())};
        benchmark::DoNotOptimize(symbols.line_at(addresses[i++ % addresses.size()]));
    }
}
BENCHMARK(FirstAddressToLine)->Unit(benchmark::kMillisecond)->UseRealTime();

void LaterAddressToLine(benchmark::State& state) {
    auto addresses = some_addresses(100'000);
    ModuleSymbols symbols{std::filesystem::path(program())};
    for (FileAddress address : addresses) benchmark::DoNotOptimize(symbols.line_at(address));
    std::size_t i = 0;
    for (auto _ : state)
        benchmark::DoNotOptimize(symbols.line_at(addresses[i++ % addresses.size()]));
    state.SetItemsProcessed(state.iterations());
}
BENCHMARK(LaterAddressToLine);

// 1000 addresses with functions and inlined calls, from nothing: what addr2line -f -i is asked
// beside (scripts/bench).
void ThousandAddressesWithInlinedCalls(benchmark::State& state) {
    auto addresses = some_addresses(1000);
    for (auto _ : state) {
        ModuleSymbols symbols{std::filesystem::path(program())};
        for (FileAddress address : addresses) benchmark::DoNotOptimize(frames_at(symbols, address));
    }
}
BENCHMARK(ThousandAddressesWithInlinedCalls)->Unit(benchmark::kMillisecond)->UseRealTime();

void IndexFromFile(benchmark::State& state) {
    char folder[] = "/tmp/lantern-bench-XXXXXX";
    SymbolSearch search;
    search.index_folder = mkdtemp(folder);
    ModuleSymbols(program(), search).index();
    bool from_file = false;
    for (auto _ : state) {
        ModuleSymbols symbols(program(), search);
        benchmark::DoNotOptimize(symbols.functions_named("main"));
        from_file = symbols.index_came_from_file();
    }
    state.counters["from_file"] = from_file;
    std::filesystem::remove_all(folder);
    std::filesystem::remove_all(folder);
}
BENCHMARK(IndexFromFile)->Unit(benchmark::kMillisecond)->UseRealTime();

void SurveyOfIt(benchmark::State& state) {
    for (auto _ : state) benchmark::DoNotOptimize(survey_program(program(), {}, {}).functions);
}
BENCHMARK(SurveyOfIt)->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace
}  // namespace lantern::bench
