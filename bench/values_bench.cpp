// Values: a condition on locals, a part of a long map, the locals of a frame.
#include <benchmark/benchmark.h>

#include "core/analysis/locals_report.h"
#include "core/session/session.h"
#include "core/target/live_process.h"

namespace lantern::bench {
namespace {

// The program stopped in look_here with everything assigned; started once for all of these.
Session& stopped() {
    static std::unique_ptr<Session> session = [] {
        LaunchOptions options;
        options.program = LEDGER_PROGRAM;
        options.input_file = options.output_file = "/dev/null";
        return std::make_unique<Session>(options, std::vector<SourceMapping>{});
    }();
    if (!session->is_running()) session->reach(session->place("ledger.cpp:22"));
    return *session;
}

// Frame and registers are at hand; the expression was read once.
void Condition(benchmark::State& state) {
    EvaluationContext context = stopped().context();
    Expression condition("chamber == 3 && barge->draught > 12 && tolls[n] == 0", context);
    if (!condition.truth(context)) state.SkipWithError("the condition should hold");
    for (auto _ : state) benchmark::DoNotOptimize(condition.truth(context));
}
BENCHMARK(Condition)->Unit(benchmark::kNanosecond);

void ConditionReadEachTime(benchmark::State& state) {
    EvaluationContext context = stopped().context();
    for (auto _ : state)
        benchmark::DoNotOptimize(
            Expression("chamber == 3 && barge->draught > 12 && tolls[n] == 0", context)
                .truth(context));
}
BENCHMARK(ConditionReadEachTime)->Unit(benchmark::kNanosecond);

void FirstHundredOfAMillion(benchmark::State& state) {
    Session& session = stopped();
    session.select_frame(1);
    ViewLimits limits = session.moment().view_limits();
    limits.children = 100;
    for (auto _ : state) {
        session.process().write_memory(
            session.process().registers(session.thread()).stack_pointer(),
            {});  // what was read is forgotten
        ValueView view = make_view(ValueReader(session.target()), "ledger",
                                   evaluate("ledger", session.context()), Form::natural, limits);
        if (view.children.size() != 100 || view.more != 999'900)
            state.SkipWithError("not what was wanted");
        benchmark::DoNotOptimize(one_line(view, 100'000));
    }
    session.select_frame(0);
}
BENCHMARK(FirstHundredOfAMillion)->Unit(benchmark::kMillisecond);

void LocalsOfAFrame(benchmark::State& state) {
    Session& session = stopped();
    std::uint64_t before = session.process().pages_read(), rounds = 0;
    std::size_t variables = 0;
    for (auto _ : state) {
        session.process().write_memory(
            session.process().registers(session.thread()).stack_pointer(), {});
        variables = report_locals(session.moment(), *session.selected_frame()).variables.size();
        ++rounds;
    }
    state.counters["variables"] = static_cast<double>(variables);
    state.counters["reads_a_look"] =
        static_cast<double>(session.process().pages_read() - before) / static_cast<double>(rounds);
}
BENCHMARK(LocalsOfAFrame)->Unit(benchmark::kMicrosecond);

}  // namespace
}  // namespace lantern::bench
