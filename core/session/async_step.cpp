// A step over a wait. The body of an async function returns where it has to wait, to whoever polled
// it, and goes on in another call, perhaps of another thread. For the user it is one line:
//
//     39  let level = rise(&name, turns).await;      returned Pending; … polled again, Ready(37)
//     40  println!("{name} at {level}");             a stop here
//
// So the step goes on when the body is polled again with the same task.
#include <fmt/format.h>

#include "core/machine/registers.h"
#include "core/session/line_step.h"
#include "core/support/error.h"
#include "core/symbols/async.h"
#include "core/unwind/unwinder.h"
#include "core/values/async_state.h"

namespace lantern {
namespace {

// By their DWARF numbers (System V ABI, AMD64 supplement, figure 3.36): the first two arguments.
constexpr unsigned kFirstArgument = 5, kSecondArgument = 4;

// Where a task ends that nobody polls any more.
std::vector<RunAddress> ends_of_task(const Module& module, const Type& task) {
    std::vector<RunAddress> ends;
    std::string name = fmt::format("core::ptr::drop_in_place<{}>", task.full_name());
    for (const Function* function : module.symbols().functions_named(name))
        if (function->has_code()) ends.push_back(module.to_run(function->low()));
    return ends;
}

}  // namespace

bool LineStep::has_left_to_wait() const {
    if (!task_ || wish_.alone || !return_address_) return false;
    try {
        auto state = async_state(ValueReader(process_), *task_);
        return state && state->kind == AsyncState::Kind::waits;
    } catch (const Error&) {
        return false;
    }
}

// Nothing where it has come back; else what happened instead.
std::optional<Stop> LineStep::run_to_resumption() {
    RunAddress entry = module_->to_run(function_->low());
    std::set<RunAddress> stops{entry};
    for (RunAddress end : ends_of_task(*module_, plain(*task_->type))) stops.insert(end);
    // What was returned before may have lain in the frame that is gone.
    returns_.clear();
    calls_.clear();
    movement_.set_home(std::nullopt);
    Stop stop = movement_.run(stops, [&](ThreadId thread) {
        // What is too large to be returned in registers has its place handed before the task.
        const Registers& registers = process_.registers(thread);
        return registers.get(kFirstArgument) == task_->address->value ||
               registers.get(kSecondArgument) == task_->address->value;
    });
    if (stop.reason != StopReason::stepped) return stop;
    if (!stop.breakpoints.empty()) return met_on_the_way(std::move(stop));
    if (here() != entry) return to_lines_further_out();
    Unwinder walk(process_, mover());
    settle_in(walk, *walk.frame(0));
    look_ahead();
    return std::nullopt;
}

}  // namespace lantern
