// How a step over a line works. From where the thread stands, the flow graph tells on each way the
// first position that counts as another line. All these get temporary stops, and the thread runs:
//
//     12  sum += toll(barge);      calls are run through: what they call is none of the step's
//     13  if (sum > limit)         ways: 12 → 13, a stop there
//     14      close(gate);
//
// Where a jump through a table decides, the step stops at the jump and takes that one instruction;
// where the function returns, at the return address; where an exception or longjmp leaves the
// frame, where that lands (left_frame.h). Each arrival is asked whether the frame is still the
// one that the step began in: a recursion meets the same stops in inner frames, and goes on. So a
// step costs as many stops as it has calls of unknown targets, whatever the line runs.
#include "core/session/line_step.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "core/code/kept_code.h"
#include "core/code/loop_around.h"
#include "core/session/events.h"
#include "core/session/jump_arrival.h"
#include "core/session/returned_value.h"
#include "core/support/error.h"
#include "core/target/linkage.h"
#include "core/values/async_state.h"

namespace lantern {

std::optional<CodePosition> first_position(const Frame& frame) {
    if (!frame.function) return std::nullopt;
    auto here = frame.module->symbols()
                    .positions_of(*frame.function)
                    .at(frame.module->to_file(frame.program_counter));
    return here.empty() || !here.front().line ? std::nullopt : std::optional(here.front());
}

LineStep::LineStep(SessionParts& parts, Movement& movement, const StepOptions& wish)
    : parts_(parts),
      movement_(movement),
      process_(parts.debuggee.process()),
      wish_(wish),
      left_frame_(parts, movement) {}

RunAddress LineStep::here() {
    return process_.registers(mover()).program_counter();
}

bool LineStep::start() {
    Unwinder walk(process_, mover(), movement_.standing());
    const Frame* frame = walk.frame(0);
    if (!frame->function) return false;
    bool is_users_own = frame->function->declared_line && is_steppable(*frame->module) &&
                        !is_foreign(frame->function->declared_in);
    if (!frame->line && !is_users_own) return false;
    module_ = frame->module;
    function_ = frame->function;
    from_ = frame->line ? *frame->position : position_without_line(*frame);
    settle_in(walk, *frame);
    task_ = task_of_body(process_, stepping_ = mover(), *frame);
    flow_ = &parts_.debuggee.flow_of(*module_, *function_);
    positions_ = &module_->symbols().positions_of(*function_);
    joined_ = &kept_code(module_->symbols(), *function_).joined_rows();
    jumped_past_ = &kept_code(module_->symbols(), *function_).jumped_past();
    return true;
}

// An instruction that the compiler gave no line, in a function of the user's: the next line of any
// of the user's calls that are inlined there, or of the function itself, is another one.
CodePosition LineStep::position_without_line(const Frame& frame) const {
    FileAddress at = frame.file_address();
    auto running = frame.module->symbols().positions_of(*frame.function).in_force(at);
    CodePosition from;
    from.address = at;
    const std::string* file = running ? running->file : nullptr;
    const Scope* call = running ? running->inlined : nullptr;
    for (; call && (!file || is_foreign(*file)); call = call->around)
        file = &call->inlined->call_file;
    from.inlined = call;
    return from;
}

// The frame that the step is in, and where it leaves it.
void LineStep::settle_in(Unwinder& walk, const Frame& frame) {
    const Frame* caller = walk.caller_of_function(frame);
    if (caller) return_address_ = caller->program_counter;
    RunAddress stack = process_.registers(mover()).stack_pointer();
    identity_ = frame.call_frame_address.value_or(stack);
    left_frame_.set_least(stack, identity_);
    movement_.set_home(identity_);
}

bool LineStep::is_steppable(const Module& module) const {
    return !parts_.libraries.is_library(module) || &module == module_;
}

bool LineStep::is_steppable(const Module& module, FileAddress at) const {
    if (!is_steppable(module)) return false;
    // What counts is the function's own source, not that of what is inlined at its very begin.
    const Function* function = module.symbols().function_at(at);
    CodePosition own =
        function ? module.symbols().positions_of(*function).within(at, nullptr) : CodePosition{};
    return own.file && own.line && !is_foreign(*own.file);
}

// A library's source, where the step began in the user's own.
bool LineStep::is_foreign(const std::string& file) const {
    return parts_.libraries.is_library_source(file) &&
           !(from_.file && parts_.libraries.is_library_source(*from_.file));
}

// Whether a step may end in the inlined call that a position lies in: in its own and further out,
// and where it enters calls in any; not in the library's code between the user's own, unless it
// began there.
bool LineStep::is_entered(const CodePosition& position) const {
    if (is_within(from_.inlined, position.inlined))
        return position.inlined == from_.inlined || !is_foreign(*position.file);
    if (!enters_) return false;
    if (wish_.into.empty()) return wish_.anyway || !is_foreign(*position.file);
    // The wanted one is called here, or by a library's code that is; not by another of the user's
    // own functions, as it would not be found in one that stayed a call.
    bool is_wanted_one = false;
    const std::string* file = position.file;
    for (const Scope* call = position.inlined; call && !is_within(from_.inlined, call);
         call = call->around) {
        if (is_wanted(call->inlined->name))
            is_wanted_one = true;
        else if (!is_foreign(*file))
            is_wanted_one = false;
        file = &call->inlined->call_file;
    }
    return is_wanted_one;
}

// Whether the step ends where it comes to the position.
bool LineStep::counts(const CodePosition& position) const {
    if (leaving_) return !is_within(position.inlined, leaving_);
    if (position.line == 0 || !joined_->begins_statement(position) || !is_entered(position))
        return false;
    if (!loop_.empty()) return !any_contains(loop_, position.address);
    return !(position.inlined == from_.inlined && from_.file &&
             position.is_on(*from_.file, from_.line));
}

// The first position of the address, behind the given one, that the step ends at.
std::optional<CodePosition> LineStep::arrival_at(FileAddress at, int behind) const {
    auto here = positions_->at(at);
    for (const CodePosition& position : here) {
        if (position.order <= behind || !counts(position)) continue;
        // Out of one inlined call and into the next: before that one is where the caller stands.
        bool is_beside = leaving_ && !is_within(leaving_, position.inlined);
        return is_beside ? positions_->within(at, leaving_->around) : position;
    }
    // The inlined call's code may end in the middle of a row.
    bool has_left = leaving_ && here.empty() && !leaving_->ranges.empty() &&
                    !any_contains(leaving_->ranges, at);
    if (has_left) return positions_->within(at, leaving_->around);
    return std::nullopt;
}

// Where the step ends, if it does, when control comes to the address by the jump. Nothing for
// `from`: it falls in.
std::optional<CodePosition> LineStep::arrival_by(std::optional<FileAddress> from,
                                                 FileAddress at) const {
    if (!from) return arrival_at(at);
    JumpArrival jump(*jumped_past_, *positions_, parts_.sources);
    auto arrival = arrival_at(at, jump.first_met(*from, at) - 1);
    return arrival ? std::optional(jump.as_met(*arrival, *from)) : std::nullopt;
}

// Who takes the jump arrives at another position of the address than who falls in there, or with
// another account.
bool LineStep::comes_elsewhere_by(const FlowGraph::Node& node) const {
    if (node.branch == FlowGraph::kNone) return false;
    FileAddress to = flow_->nodes()[node.branch].address;
    const JumpedPast::Jump* jump = jumped_past_->jump(node.address, to);
    auto falling = jump ? arrival_at(to) : std::nullopt;
    return falling && falling->order < jump->first;
}

// Fills in what can be come to from here.
void LineStep::look_ahead() {
    ways_ = Ways();
    std::uint32_t start = flow_->at(module_->to_file(here()));
    ways_.are_known = flow_->is_complete() && start != FlowGraph::kNone;
    if (!ways_.are_known) return;
    std::vector<bool> seen(flow_->nodes().size());
    std::vector<std::uint32_t> waiting;
    const auto& all = positions_->all();
    auto expand = [&](std::uint32_t index) {
        const FlowGraph::Node& node = flow_->nodes()[index];
        RunAddress at = module_->to_run(node.address);
        bool splits = comes_elsewhere_by(node);
        if ((node.is_jump() && node.is_computed) || splits) ways_.watched_jumps.insert(at);
        if (node.kind == Instruction::Kind::call || node.leaves()) {
            ways_.calls.insert(at);
            auto after = std::upper_bound(
                all.begin(), all.end(), node.address,
                [](FileAddress a, const CodePosition& p) { return a < p.address; });
            bool is_own = after != all.begin() && std::prev(after)->inlined == from_.inlined;
            if (is_own && node.kind == Instruction::Kind::call) ways_.own_calls.insert(at);
        }
        // A call that is held never to come back is waited for all the same.
        bool is_call = node.kind == Instruction::Kind::call;
        std::uint32_t behind_call = is_call ? flow_->at(node.behind()) : FlowGraph::kNone;
        for (std::uint32_t next : {splits ? FlowGraph::kNone : node.branch, node.next, behind_call})
            if (next != FlowGraph::kNone) waiting.push_back(next);
    };
    expand(start);  // what begins at it has been passed, until a loop comes back
    while (!waiting.empty()) {
        std::uint32_t index = waiting.back();
        waiting.pop_back();
        if (seen[index]) continue;
        seen[index] = true;
        FileAddress at = flow_->nodes()[index].address;
        if (auto arrival = arrival_at(at))
            ways_.arrivals.emplace(module_->to_run(at), *arrival);
        else
            expand(index);
    }
}

bool LineStep::is_in_frame_or_outside(ThreadId thread) {
    return thread == mover() && movement_.frame_identity(thread) >= identity_;
}

Stop LineStep::run_ways(const std::set<RunAddress>& also) {
    // Code that cannot be read has no known way out: go through it one instruction at a time.
    jump_.reset();
    if (!ways_.are_known) return movement_.step_instruction();
    std::set<RunAddress> ends = ways_.watched_jumps;
    for (const auto& [at, position] : ways_.arrivals) ends.insert(at);
    ends.insert(also.begin(), also.end());
    if (return_address_) ends.insert(*return_address_);
    for (;;) {
        bool at_call = computed_calls_.count(here()) && !also.count(here());
        if (at_call)
            if (auto stop = follow_computed_call()) return *stop;
        std::set<RunAddress> stops = ends;
        for (const auto& [back, expected] : returns_) stops.insert(back);
        stops.insert(computed_calls_.begin(), computed_calls_.end());
        left_frame_.add_stops(stops);
        bool landed = false;
        Stop stop = movement_.run(
            stops,
            [&](ThreadId thread) {
                if (thread != mover()) return false;
                RunAddress at = process_.registers(thread).program_counter();
                bool is_end = ends.count(at) || returns_.count(at) || computed_calls_.count(at);
                if (!is_end) return landed = left_frame_.is_landing(thread);
                return is_in_frame_or_outside(thread);
            },
            &ways_.arrivals);
        if (stop.reason != StopReason::stepped) return stop;
        if (landed) return land();
        note_return();
        if (ends.count(here()) || !stop.breakpoints.empty()) return stop;
    }
}

// Where the frame was left to, the step ends.
Stop LineStep::land() {
    left_by_landing_ = true;
    return left_frame_.land(wish_);
}

// A breakpoint that a step of one instruction came to, in what was called: the line is not done.
Stop LineStep::met_on_the_way(Stop stop) {
    if (stop.reason == StopReason::stepped && !stop.breakpoints.empty())
        stop.reason = stop.cause == Cause::place ? StopReason::breakpoint : StopReason::event;
    return stop;
}

// Standing on a jump through a table or a register, or on one that does not come to all positions
// of where it leads to: one instruction tells where control goes.
std::optional<Stop> LineStep::pass_watched_jump() {
    if (!ways_.watched_jumps.count(here())) return std::nullopt;
    jump_ = module_->to_file(here());
    return movement_.step_instruction();
}

// Decides whether the step has arrived. If not, looks how to go on from here.
LineStep::Progress LineStep::look_around(Stop& stop) {
    FileAddress at = module_->to_file(here());
    if (movement_.frame_identity(mover()) != identity_ || !any_contains(function_->ranges, at)) {
        stop.left_function = true;
        return Progress::arrived;
    }
    if (auto arrival = arrival_by(std::exchange(jump_, std::nullopt), at)) {
        stop.position = *arrival;
        return Progress::arrived;
    }
    look_ahead();
    return Progress::keep_going;
}

// Where a frame that something has come back to stands in the user's own code: before what begins
// at the address, or in the innermost of the calls inlined there that is the user's. Nothing where
// none is. `frame` is the innermost of those that share the address.
std::optional<CodePosition> LineStep::users_position(const Frame& frame) const {
    if (!frame.function || !frame.module || !is_steppable(*frame.module)) return std::nullopt;
    auto first = first_position(frame);
    if (first && !is_foreign(*first->file)) return first;
    const FunctionPositions& positions = frame.module->symbols().positions_of(*frame.function);
    FileAddress at = frame.module->to_file(frame.program_counter);
    auto running = positions.in_statement(frame.file_address());
    for (const Scope* call = running ? running->inlined : nullptr;; call = call->around) {
        CodePosition position = positions.within(at, call);
        if (position.file && position.line && !is_foreign(*position.file)) return position;
        if (!call) return std::nullopt;
    }
}

Stop LineStep::to_lines_further_out() {
    Unwinder walk(process_, mover());
    const Frame* frame = walk.frame(0);
    Stop stop;
    stop.reason = StopReason::stepped;
    stop.thread = mover();
    stop.left_function = true;
    stop.position = users_position(*frame);
    if (stop.position) return stop;
    std::optional<CodePosition> goal;
    for (frame = walk.caller_of_function(*frame); frame; frame = walk.caller_of_function(*frame)) {
        // The first of the frames that share the address.
        const Frame* innermost = frame;
        while (innermost->level > 0 &&
               walk.frame(innermost->level - 1)->program_counter == frame->program_counter)
            innermost = walk.frame(innermost->level - 1);
        goal = users_position(*innermost);
        if (goal) break;
    }
    if (!frame) return movement_.run({}, [](ThreadId) { return false; });
    RunAddress back = frame->program_counter,
               outside = frame->call_frame_address.value_or(RunAddress());
    stop = movement_.run({back}, [&](ThreadId thread) {
        return thread == mover() && movement_.frame_identity(thread) >= outside;
    });
    stop.left_function = stop.reason == StopReason::stepped;
    if (stop.left_function && !stop.position) stop.position = goal;
    return stop;
}

// Behind the position where the step began there may be another at the same address, where it ends.
std::optional<Stop> LineStep::arrive_without_running() {
    if (from_.address != module_->to_file(here()) || !movement_.standing()) return std::nullopt;
    auto arrival = arrival_at(from_.address, from_.order);
    return arrival ? std::optional(movement_.advance_to(*arrival)) : std::nullopt;
}

// Where a run of the step has ended for good: at one of its arrivals, or at a breakpoint on the
// way.
bool LineStep::is_at_goal(const Stop& stop) {
    if (return_address_ && here() == *return_address_ &&
        movement_.frame_identity(mover()) != identity_)
        return false;
    return !stop.breakpoints.empty() || (stop.position && ways_.arrivals.count(here()));
}

Stop LineStep::over() {
    if (!start()) return to_lines_further_out();
    return go_on();
}

Stop LineStep::go_on() {
    if (auto stop = arrive_without_running()) return *stop;
    look_ahead();
    for (;;) {
        auto jumped = pass_watched_jump();
        if (!jumped) expect_returns();
        Stop stop = jumped ? *jumped : run_ways({});
        if (stop.reason != StopReason::stepped || left_by_landing_ || is_at_goal(stop))
            return with_calls(std::move(stop));
        if (look_around(stop) == Progress::keep_going) continue;
        if (!stop.left_function) return with_calls(std::move(stop));
        if (!has_left_to_wait() || !stop.breakpoints.empty())
            return with_calls(leave(std::move(stop)));
        if (auto other = run_to_resumption()) return with_calls(std::move(*other));
    }
}

Stop LineStep::out_of_loop() {
    if (!start()) throw RequestError("there are no lines here", Next::step_out);
    loop_ = loop_around(Blocks(*flow_), module_->to_file(here()));
    if (loop_.empty())
        throw RequestError(
            fmt::format("no loop of {} is around line {}", function_->name, from_.line),
            Next::step_over_or_out);
    recordings_ = kMostRecordings;
    return go_on();
}

Stop LineStep::out_of_inlined(const Scope& call) {
    if (!start()) throw RequestError("no inlined call is selected");
    recordings_ = kMostRecordings;
    leaving_ = &call;
    Stop stop = go_on();
    if (stop.reason != StopReason::stepped || stop.left_function) return stop;
    stop.reason = StopReason::returned;
    stop.returned = ReturnedValue{
        call.inlined->name,
        unavailable_value(void_type(), "not known: it was inlined, so nothing carries it back")};
    return stop;
}

// The function has come back to its caller: keeps what it returned, and goes on to code that has
// lines.
Stop LineStep::leave(Stop stop) {
    std::optional<ReturnedValue> value;
    if (!stop.breakpoints.empty() && here() != return_address_)
        return met_on_the_way(std::move(stop));
    if (return_address_ && here() == *return_address_)
        value = returned_value(process_, mover(), *module_, *function_);
    if (!stop.breakpoints.empty()) {
        stop.returned = std::move(value);
        return stop;
    }
    Stop final = to_lines_further_out();
    final.returned = std::move(value);
    return final;
}

Stop LineStep::into() {
    enters_ = true;
    if (!start()) return to_lines_further_out();
    if (auto stop = arrive_without_running()) return *stop;
    look_ahead();
    for (;;) {
        if (ways_.calls.count(here())) {
            if (auto stop = enter_call()) return *stop;
            // Back behind the call: still on the line, unless the call was its last instruction.
            Stop stop;
            stop.reason = StopReason::stepped;
            stop.thread = mover();
            if (look_around(stop) == Progress::keep_going) continue;
            if (!stop.left_function) return stop;
            return leave(std::move(stop));
        }
        auto jumped = pass_watched_jump();
        Stop stop = jumped ? *jumped : run_ways(ways_.calls);
        if (stop.reason != StopReason::stepped || left_by_landing_ || is_at_goal(stop)) return stop;
        if (ways_.calls.count(here()) && movement_.frame_identity(mover()) == identity_) continue;
        if (look_around(stop) == Progress::keep_going) continue;
        if (!stop.left_function) return stop;
        return leave(std::move(stop));
    }
}

}  // namespace lantern
