// Runs until the selected frame's function has returned, and reads what it returned.
#include <fmt/format.h>

#include "core/session/left_frame.h"
#include "core/session/line_step.h"
#include "core/session/session.h"
#include "core/support/error.h"

namespace lantern {
namespace {

// All that can be said of what a function returned of which nothing is known (System V ABI, AMD64,
// §3.2.3).
StopFact result_register(Target& target, ThreadId thread) {
    constexpr unsigned kRax = 0;
    std::uint64_t number = target.registers(thread).get(kRax).value_or(0);
    std::string text = fmt::format("{:#x}", number);
    if (auto whole = static_cast<std::int64_t>(number); whole > -1'000'000 && whole < 1'000'000)
        text += fmt::format(" ({})", whole);
    return {"rax", text + ", which is what it returned if that is a whole number or a pointer"};
}

// Where the caller stands now: what is inlined into it and begins there has not been entered yet,
// and what has no line of its own belongs to the call.
std::optional<CodePosition> position_in_caller(const Frame& frame, const Scope* inlined) {
    auto first = first_position(frame);
    if (!frame.function) return first;
    const auto& positions = frame.module->symbols().positions_of(*frame.function);
    FileAddress at = frame.file_address();
    if (first && first->inlined != inlined && is_within(first->inlined, inlined))
        return positions.within(at, inlined);
    auto here = positions.in_force(at);
    if (first || !here || here->line) return first;
    CodePosition call = positions.within(at - 1, inlined);
    if (!call.line) return first;
    call.address = call.end = at;
    call.is_statement = false;
    return call;
}

}  // namespace

Stop Session::out() {
    here().debuggee.refuse_while_moving();
    unsigned level = selected_level();
    const Frame* frame = stack().frame(level);
    if (!frame) throw RequestError("no frame is selected");
    if (frame->inlined) return out_of_inlined(*frame);
    // A frame that a tail call took off the stack comes back when the one further in does.
    const Function* returning = frame->function;
    const Module* holder = frame->module;
    std::string name = frame_function_name(*frame);
    while (frame->has_left && level > 0) frame = stack().frame(--level);
    const Frame* caller = stack().caller_of_function(*frame);
    while (caller && caller->has_left) caller = stack().caller_of_function(*caller);
    if (!caller || !frame->call_frame_address)
        throw RequestError(
            fmt::format("{} is the outermost frame: it has no caller", frame_function_name(*frame)),
            Next::run_to_the_end);
    RunAddress identity = *frame->call_frame_address, back = caller->program_counter;
    std::optional<RunAddress> home = caller->call_frame_address;
    const Scope* inlined = caller->inlined ? caller->scopes.back() : nullptr;
    const Module* module = holder;
    const Function* function = returning;

    return moved([&](Movement& movement) {
        movement.set_home(home);
        LeftFrame left(here(), movement);
        left.set_least(identity, identity + 1);
        std::set<RunAddress> stops{back};
        left.add_stops(stops);
        bool landed = false;
        Stop stop = movement.run(stops, [&](ThreadId thread) {
            if (thread != this->thread()) return false;
            if (process().registers(thread).program_counter() != back)
                return landed = left.is_landing(thread);
            return movement.frame_identity(thread) > identity;
        });
        if (stop.reason != StopReason::stepped) return stop;
        if (landed) {
            stop = left.land({});
            stop.facts.push_back({"left", name + " has not returned: it was left"});
            return stop;
        }
        stop.reason = StopReason::returned;
        if (!stop.position)
            stop.position = position_in_caller(*Unwinder(process(), thread()).frame(0), inlined);
        if (function)
            stop.returned = returned_value(process(), thread(), *module, *function);
        else {
            stop.returned =
                ReturnedValue{name, unavailable_value(void_type(), "its type is not known")};
            stop.facts.push_back(result_register(process(), thread()));
        }
        return stop;
    });
}

}  // namespace lantern
