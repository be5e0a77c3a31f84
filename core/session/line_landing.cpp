// A step that is left: by an exception, a panic or longjmp, which land somewhere; and the values
// that calls on the way give back.
#include "core/session/line_step.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/code/loop_around.h"
#include "core/runtime/c_library.h"
#include "core/session/events.h"
#include "core/session/returned_value.h"
#include "core/support/error.h"
#include "core/target/linkage.h"

namespace lantern {

void LineStep::expect_return(RunAddress callee, RunAddress back) {
    FunctionAt called = function_at(process_, callee);
    if (called.function && returns_value(called.module->symbols(), *called.function))
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

std::optional<c_library::JumpTarget> LineStep::jump_target(ThreadId thread) const {
    return c_library::jump_target(
        [&](RunAddress word) { return process_.read<std::uint64_t>(word); },
        process_.registers(thread));
}

// Whether control lands from here in the frame of the step, or further out.
bool LineStep::is_landing(RunAddress at, ThreadId thread) {
    for (const LandingHook& hook : hooks_) {
        if (hook.address != at) continue;
        if (hook.kind == LandingHook::Kind::jumps) {
            auto target = jump_target(thread);
            return target && target->stack_pointer >= stack_pointer_;
        }
        Unwinder walk(process_, thread);
        const Frame* catcher = walk.frame(1);
        while (catcher && catcher->inlined) catcher = walk.frame(catcher->level + 1);
        return catcher && catcher->call_frame_address && *catcher->call_frame_address >= identity_;
    }
    return false;
}

// The frame was left by an exception, a panic or longjmp: the step ends where that goes on.
Stop LineStep::land() {
    RunAddress at = here();
    bool jumps = std::any_of(hooks_.begin(), hooks_.end(), [&](const LandingHook& hook) {
        return hook.address == at && hook.kind == LandingHook::Kind::jumps;
    });
    if (jumps) {
        auto target = jump_target(mover());
        Stop stop = movement_.run({target->program_counter}, [&](ThreadId thread) {
            return thread == mover() &&
                   process_.registers(thread).stack_pointer() == target->stack_pointer;
        });
        stop.facts.push_back({"landed", "longjmp came here"});
        return stop;
    }
    std::vector<StopFact> facts = facts_of(parts_.moment(), Cause::caught, mover());
    Unwinder walk(process_, mover());
    const Frame* catcher = walk.frame(1);
    RunAddress back = catcher->program_counter,
               identity = walk.frame(0)->call_frame_address.value_or(RunAddress());
    Stop stop = movement_.run({back}, [&](ThreadId thread) {
        return thread == mover() && movement_.frame_identity(thread) > identity;
    });
    if (stop.reason != StopReason::stepped) return stop;
    stop = LineStep(parts_, movement_, wish_).over();  // to the handler's first line
    stop.facts.insert(stop.facts.begin(), facts.begin(), facts.end());
    return stop;
}

void LineStep::note_return() {
    auto expected = returns_.find(here());
    if (expected == returns_.end()) return;
    if (++recordings_ >= kMostRecordings)
        returns_.clear(), computed_calls_.clear();
    else if (calls_.size() < kMostCallsShown)
        calls_.push_back(returned_value(process_, mover(), *expected->second.module,
                                        *expected->second.function));
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
