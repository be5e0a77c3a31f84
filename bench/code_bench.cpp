// The analysis of machine code: the ways, blocks, loops and data flow of every function of a large
// program, on one processor (what is kept with the symbols is for one thread). The floor decodes
// each of the same instructions once and does nothing with it.
#include <benchmark/benchmark.h>

#include <chrono>

#include "bench/clock.h"
#include "core/code/dataflow.h"

namespace lantern::bench {
namespace {

void CodeOfAllFunctions(benchmark::State& state) {
    ModuleSymbols symbols(DISASSEMBLED, SymbolSearch{});
    std::vector<const Function*> functions;
    for (const auto& unit : symbols.debug_info().units())
        for (const Function* function : symbols.functions_of(*unit))
            if (function->has_code()) functions.push_back(function);
    if (functions.empty())
        return state.SkipWithError("the program has no symbols: install python3-dbg");
    std::uint64_t instructions = 0, loops = 0;
    double floor = 1e9;
    for (auto _ : state) {
        instructions = loops = 0;
        auto start = Clock::now();
        for (const Function* function : functions) {
            FlowGraph flow(symbols, *function);
            Blocks blocks(flow);
            Dataflow data(blocks, symbols);
            benchmark::DoNotOptimize(data);
            instructions += flow.nodes().size();
            loops += blocks.loops().size();
        }
        state.SetIterationTime(seconds_since(start));
        start = Clock::now();
        for (const Function* function : functions) {
            for (const FileRange& range : function->ranges) {
                ByteSpan bytes = symbols.elf().loaded_bytes(range.low, range.size());
                for (std::size_t at = 0; at < bytes.size();) {
                    auto instruction =
                        decode_instruction(bytes.subspan(at), RunAddress(range.low.value + at));
                    at += instruction ? instruction->length : 1;
                }
            }
        }
        floor = std::min(floor, seconds_since(start));
    }
    state.counters["functions"] = static_cast<double>(functions.size());
    state.counters["instructions"] = static_cast<double>(instructions);
    state.counters["loops"] = static_cast<double>(loops);
    state.counters["floor_s"] = floor;
}
BENCHMARK(CodeOfAllFunctions)->UseManualTime()->Iterations(3)->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace lantern::bench
