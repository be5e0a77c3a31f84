// The values that calls on the way of a step give back.
#include "core/session/line_step.h"

#include "core/session/returned_value.h"
#include "core/target/linkage.h"

namespace lantern {
namespace {

// What Rust's `format!` and its kin call to put their arguments together tells nothing.
bool is_of_format_macro(const Function& function) {
    return function.name.starts_with("core::fmt::rt::") ||
           function.name.starts_with("core::fmt::Arguments");
}

}  // namespace

void LineStep::expect_return(RunAddress callee, RunAddress back) {
    auto called = function_at(process_, callee);
    if (called.function && !is_of_format_macro(*called.function) &&
        returns_value(called.module->symbols(), *called.function))
        returns_[back] = called;
}

// Which calls of the stretch give back a value that can be shown. Those that go where a register or
// memory says are stopped at, to see where that is.
void LineStep::expect_returns() {
    returns_.clear();
    computed_calls_.clear();
    if (recordings_ >= kMostRecordings) return;
    for (RunAddress call : ways_.own_calls) {
        auto instruction = instruction_at(process_, call);
        if (!instruction) continue;
        if (!instruction->target) {
            computed_calls_.insert(call);
            continue;
        }
        expect_return(behind_linkage_table(process_, *instruction->target), instruction->next());
    }
}

void LineStep::note_return() {
    auto expected = returns_.find(here());
    if (expected == returns_.end()) return;
    if (++recordings_ < kMostRecordings && calls_.size() < kMostCallsShown) {
        const auto& [module, function] = expected->second;
        ReturnedValue& call =
            calls_.emplace_back(returned_value(process_, mover(), *module, *function));
        call.then = make_view(ValueReader(process_), call.function, call.value);
    }
    if (recordings_ >= kMostRecordings) returns_.clear(), computed_calls_.clear();
}

// Where another thread has stopped it all, they are none of that one's.
Stop LineStep::with_calls(Stop stop) {
    if (stop.thread == stepping_ || !stop.thread) stop.calls = std::move(calls_);
    return stop;
}

// Standing on a call of what a register or memory says: one instruction tells whom.
std::optional<Stop> LineStep::follow_computed_call() {
    if (!computed_calls_.count(here())) return std::nullopt;
    RunAddress call = here();
    auto instruction = instruction_at(process_, call);
    ++recordings_;
    Stop stop = movement_.step_instruction();
    if (stop.reason != StopReason::stepped || !stop.breakpoints.empty() || !instruction)
        return met_on_the_way(std::move(stop));
    expect_return(behind_linkage_table(process_, here()), instruction->next());
    return std::nullopt;
}

}  // namespace lantern
