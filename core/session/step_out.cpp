// Runs until the selected frame's function has returned, and reads what it returned.
#include <fmt/format.h>

#include "core/session/line_step.h"
#include "core/session/movement.h"
#include "core/support/error.h"

namespace lantern {
namespace {

// The first frame outside of `frame` that is no inlined part of the same function.
const Frame* physical_caller(Unwinder& stack, const Frame& frame) {
    const Frame* outer = stack.frame(frame.level + 1);
    while (outer && (outer->origin == FrameOrigin::inlined || outer->origin == FrameOrigin::tail_call)) outer = stack.frame(outer->level + 1);
    return outer;
}

}  // namespace

Stop Session::out() {
    refuse_while_moving();
    unsigned level = selected_level_;
    const Frame* frame = stack().frame(level);
    if (!frame) throw RequestError("no frame is selected");
    if (frame->inlined) return out_of_inlined(*frame);
    const Frame* caller = physical_caller(stack(), *frame);
    if (!caller || !frame->call_frame_address)
        throw RequestError(fmt::format("{} is the outermost frame: it has no caller", frame_function_name(*frame)), "continue runs on to the end");
    RunAddress identity = *frame->call_frame_address, back = caller->program_counter;
    const Module* module = frame->module;
    const Function* function = frame->function;
    std::string name = frame_function_name(*frame);

    std::uint64_t before = process().stops();
    stack_.reset();
    selected_level_ = 0;
    Movement movement(*this);
    movement.set_home(caller->call_frame_address);
    Stop stop = movement.run({back}, [&](ThreadId thread) { return thread == thread_ && movement.frame_identity(thread) > identity; });
    if (stop.reason == StopReason::stepped) {
        stop.reason = StopReason::returned;
        if (function) stop.returned = returned_value(*process_, thread_, *module, *function);
        else stop.returned = ReturnedValue{name, unavailable_value(void_type(), "its type is not known")};
    }
    return finished(std::move(stop), before);
}

}  // namespace lantern
