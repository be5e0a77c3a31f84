#include "core/session/line_step.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/machine/instruction.h"
#include "core/session/events.h"
#include "core/session/linkage.h"
#include "core/session/returned_value.h"
#include "core/support/error.h"

namespace lantern {

namespace {

constexpr std::size_t kMostCallsShown = 8;
constexpr unsigned kMostRecordings = 64;  // a loop on one line calls without end: no stops for more values than these

}  // namespace

LineStep::LineStep(Session& session, Movement& movement, const StepWish& wish)
    : session_(session), movement_(movement), process_(session.process()), thread_(session.thread()), wish_(wish) {}

RunAddress LineStep::here() {
    return process_.registers(thread_).program_counter();
}

bool LineStep::start() {
    Unwinder walk(process_, thread_);
    const Frame* frame = walk.frame(0);
    if (!frame->function || !frame->line) return false;
    module_ = frame->module;
    function_ = frame->function;
    line_ = *frame->line;
    inlined_depth_ = chains_at(module_->symbols().body_of(*function_), module_->to_file(here())).size();
    const Frame* caller = walk.frame(static_cast<unsigned>(inlined_depth_));
    if (caller) return_address_ = caller->program_counter;
    identity_ = walk.frame(static_cast<unsigned>(inlined_depth_ - 1))->call_frame_address.value_or(
        process_.registers(thread_).stack_pointer());
    stack_pointer_ = process_.registers(thread_).stack_pointer();
    movement_.set_home(identity_);
    hooks_ = session_.landing_hooks();
    plan(ranges_of_line(module_->symbols(), *function_, line_));
    return true;
}

bool LineStep::is_steppable(const Module& module) const {
    return !session_.is_library(module) || &module == module_;
}

bool LineStep::is_steppable(const Module& module, FileAddress at) const {
    if (!is_steppable(module)) return false;
    auto line = module.symbols().line_at(at);
    return line && (!session_.is_library_source(line->file) || session_.is_library_source(line_.file));
}

void LineStep::plan(std::vector<FileRange> ranges) {
    plan_ = plan_ranges(process_, *module_, std::move(ranges));
}

bool LineStep::is_in_frame_or_outside(ThreadId thread) {
    return thread == thread_ && movement_.frame_identity(thread) >= identity_;
}

// Which calls of the stretch give back a value that can be shown. Those that go where a register or memory says are stopped
// at, to see where that is.
void LineStep::expect_returns() {
    returns_.clear();
    computed_calls_.clear();
    if (recordings_ >= kMostRecordings) return;
    for (RunAddress call : plan_.calls) {
        std::byte bytes[kLongestInstruction];
        auto instruction = decode_instruction(ByteSpan(bytes, process_.read_available(call, bytes)), call);
        if (!instruction) continue;
        if (!instruction->target) {
            computed_calls_.insert(call);
            continue;
        }
        RunAddress callee = behind_linkage_table(process_, *instruction->target);
        const Module* module = process_.module_at(callee);
        const Function* function = module ? module->symbols().function_at(module->to_file(callee)) : nullptr;
        if (function && returns_value(module->symbols(), *function)) returns_[instruction->next()] = {module, function};
    }
}

// Whether control lands from here in the frame of the step, or further out.
bool LineStep::is_landing(RunAddress at, ThreadId thread) {
    for (const LandingHook& hook : hooks_) {
        if (hook.address != at) continue;
        if (hook.kind == LandingHook::Kind::jumps) {
            auto target = jump_target(process_, thread);
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
    bool jumps = std::any_of(hooks_.begin(), hooks_.end(),
                             [&](const LandingHook& hook) { return hook.address == at && hook.kind == LandingHook::Kind::jumps; });
    if (jumps) {
        auto target = jump_target(process_, thread_);
        Stop stop = movement_.run({target->program_counter}, [&](ThreadId thread) {
            return thread == thread_ && process_.registers(thread).stack_pointer() == target->stack_pointer;
        });
        stop.facts.push_back({"landed", "longjmp came here"});
        return stop;
    }
    std::vector<StopFact> facts = facts_of(session_, Cause::caught, thread_);
    Unwinder walk(process_, thread_);
    const Frame* catcher = walk.frame(1);
    RunAddress back = catcher->program_counter, identity = walk.frame(0)->call_frame_address.value_or(RunAddress());
    Stop stop = movement_.run({back}, [&](ThreadId thread) { return thread == thread_ && movement_.frame_identity(thread) > identity; });
    if (stop.reason != StopReason::stepped) return stop;
    stop = LineStep(session_, movement_, wish_).over();  // to the handler's first line
    stop.facts.insert(stop.facts.begin(), facts.begin(), facts.end());
    return stop;
}

void LineStep::note_return() {
    auto expected = returns_.find(here());
    if (expected == returns_.end()) return;
    if (++recordings_ >= kMostRecordings) returns_.clear(), computed_calls_.clear();
    else if (calls_.size() < kMostCallsShown) calls_.push_back(returned_value(process_, thread_, *expected->second.module, *expected->second.function));
}

// Standing on a call of what a register or memory says: one instruction tells whom.
std::optional<Stop> LineStep::follow_computed_call() {
    if (!computed_calls_.count(here())) return std::nullopt;
    std::byte bytes[kLongestInstruction];
    RunAddress call = here();
    auto instruction = decode_instruction(ByteSpan(bytes, process_.read_available(call, bytes)), call);
    ++recordings_;
    Stop stop = movement_.step_instruction();
    if (stop.reason != StopReason::stepped || !stop.breakpoints.empty() || !instruction) return stop;
    RunAddress callee = behind_linkage_table(process_, here());
    const Module* module = process_.module_at(callee);
    const Function* function = module ? module->symbols().function_at(module->to_file(callee)) : nullptr;
    if (function && returns_value(module->symbols(), *function)) returns_[instruction->next()] = {module, function};
    return std::nullopt;
}

Stop LineStep::run_plan(const std::set<RunAddress>& also) {
    // Bytes that cannot be decoded have no known way out: go through them one instruction at a time.
    if (!plan_.is_complete) return movement_.step_instruction();
    std::set<RunAddress> ends = plan_.exits;
    ends.insert(plan_.computed_jumps.begin(), plan_.computed_jumps.end());
    ends.insert(also.begin(), also.end());
    if (return_address_) ends.insert(*return_address_);
    for (;;) {
        bool at_call = computed_calls_.count(here()) && !also.count(here());
        if (at_call)
            if (auto stop = follow_computed_call()) return *stop;
        std::set<RunAddress> stops = ends;
        for (const auto& [back, expected] : returns_) stops.insert(back);
        stops.insert(computed_calls_.begin(), computed_calls_.end());
        for (const LandingHook& hook : hooks_) stops.insert(hook.address);
        bool landed = false;
        Stop stop = movement_.run(stops, [&](ThreadId thread) {
            if (thread != thread_) return false;
            RunAddress at = process_.registers(thread).program_counter();
            bool is_end = ends.count(at) || returns_.count(at) || computed_calls_.count(at);
            if (!is_end) return landed = is_landing(at, thread);
            return is_in_frame_or_outside(thread);
        });
        if (stop.reason != StopReason::stepped) return stop;
        if (landed) {
            stop = land();
            left_by_landing_ = true;
            return stop;
        }
        note_return();
        if (ends.count(here()) || !stop.breakpoints.empty()) return stop;
    }
}

Stop LineStep::with_calls(Stop stop) {
    stop.calls = std::move(calls_);
    return stop;
}

// Standing on a jump through a table or a register: one instruction tells where it leads.
std::optional<Stop> LineStep::pass_computed_jump() {
    if (!plan_.computed_jumps.count(here())) return std::nullopt;
    return movement_.step_instruction();
}

// Decides whether the step has arrived. If not, plans how to go on from here.
LineStep::Progress LineStep::look_around(Stop& stop) {
    const ModuleSymbols& symbols = module_->symbols();
    FileAddress at = module_->to_file(here());
    if (movement_.frame_identity(thread_) != identity_ || !any_contains(function_->ranges, at)) {
        stop.left_function = true;
        return Progress::arrived;
    }
    if (any_contains(plan_.ranges, at)) return Progress::keep_going;
    auto chains = chains_at(symbols.body_of(*function_), at);
    if (!enters_inlined_calls_ && chains.size() > inlined_depth_) {
        // An inlined call counts as a call: go on until its body is left.
        plan(chains[chains.size() - inlined_depth_ - 1].scopes.back()->ranges);
        return Progress::keep_going;
    }
    auto line = symbols.line_at(at);
    bool same_line = line && line->line == line_.line && line->file == line_.file && chains.size() == inlined_depth_;
    if (line && line->is_statement && line->range.low == at && !same_line) return Progress::arrived;
    // In the middle of a statement, or in code that belongs to no line: on to where the next one starts.
    if (same_line) plan(ranges_of_line(symbols, *function_, line_));
    else plan({line ? line->range : stretch_without_line(at)});
    return Progress::keep_going;
}

// Code that the compiler made for no line: as far as the line table says so, else the one instruction.
FileRange LineStep::stretch_without_line(FileAddress at) {
    const LineEntry* entry = module_->symbols().lines_of(*function_->unit).at(at);
    if (entry) return entry->range;
    std::byte bytes[kLongestInstruction];
    RunAddress address = module_->to_run(at);
    auto instruction = decode_instruction(ByteSpan(bytes, process_.read_available(address, bytes)), address);
    return {at, at + (instruction ? instruction->length : 1)};
}

Stop LineStep::to_lines_further_out() {
    Unwinder walk(process_, thread_);
    auto has_lines = [&](const Frame& frame) { return frame.line && frame.module && is_steppable(*frame.module, frame.file_address()); };
    if (has_lines(*walk.frame(0))) {
        Stop stop;
        stop.reason = StopReason::stepped;
        stop.thread = thread_;
        stop.left_function = true;
        return stop;
    }
    const Frame* caller = walk.frame(1);
    while (caller && !has_lines(*caller)) caller = walk.frame(caller->level + 1);
    if (!caller) return movement_.run({}, [](ThreadId) { return false; });
    RunAddress identity = walk.frame(caller->level - 1)->call_frame_address.value_or(RunAddress());
    Stop stop = movement_.run({caller->program_counter}, [&](ThreadId thread) {
        return thread == thread_ && movement_.frame_identity(thread) > identity;
    });
    stop.left_function = stop.reason == StopReason::stepped;
    return stop;
}

Stop LineStep::over() {
    if (!start()) return to_lines_further_out();
    return run_until_out();
}

Stop LineStep::run_until_out() {
    for (;;) {
        auto jumped = pass_computed_jump();
        if (!jumped) expect_returns();
        Stop stop = jumped ? *jumped : run_plan({});
        if (stop.reason != StopReason::stepped || left_by_landing_) return with_calls(std::move(stop));
        if (look_around(stop) == Progress::keep_going) continue;
        if (!stop.left_function) return with_calls(std::move(stop));
        return with_calls(leave(std::move(stop)));
    }
}

namespace {

// The code that the nearest backward jump around an address closes: from where it leads to its end.
std::optional<FileRange> innermost_loop(Target& target, const Module& module, const Function& function, FileAddress at) {
    std::optional<FileRange> innermost;
    for (const FileRange& range : function.ranges) {
        for (FileAddress here = range.low; here < range.high;) {
            std::byte bytes[kLongestInstruction];
            auto instruction = decode_instruction(ByteSpan(bytes, target.read_available(module.to_run(here), bytes)), module.to_run(here));
            if (!instruction) break;
            FileAddress next = here + instruction->length;
            bool jumps = instruction->kind == Instruction::Kind::jump || instruction->kind == Instruction::Kind::conditional_jump;
            if (jumps && instruction->target) {
                FileRange loop{module.to_file(*instruction->target), next};
                if (loop.low < loop.high && loop.low <= at && at < loop.high && (!innermost || loop.size() < innermost->size())) innermost = loop;
            }
            here = next;
        }
    }
    return innermost;
}

}  // namespace

Stop LineStep::out_of_loop() {
    if (!start()) throw RequestError("there are no lines here", "out runs to the caller");
    auto loop = innermost_loop(process_, *module_, *function_, module_->to_file(here()));
    if (!loop) throw RequestError(fmt::format("no loop of {} is around line {}", function_->name, line_.line), "over runs this line; out runs to the caller");
    recordings_ = kMostRecordings;
    line_.line = 0;  // any line counts as another one
    plan({*loop});
    return run_until_out();
}

Stop LineStep::out_of_inlined(std::size_t depth) {
    start();
    auto chains = chains_at(module_->symbols().body_of(*function_), module_->to_file(here()));
    if (depth == 0 || chains.size() <= depth) throw RequestError("no inlined call is selected");
    inlined_depth_ = depth;
    recordings_ = kMostRecordings;
    line_.line = 0;
    plan(chains[chains.size() - depth - 1].scopes.back()->ranges);
    return run_until_out();
}

// The function has come back to its caller: keeps what it returned, and goes on to code that has lines.
Stop LineStep::leave(Stop stop) {
    std::optional<ReturnedValue> value;
    if (return_address_ && here() == *return_address_) value = returned_value(process_, thread_, *module_, *function_);
    Stop final = to_lines_further_out();
    if (final.breakpoints.empty() && final.reason == StopReason::stepped) final.breakpoints = stop.breakpoints;
    final.returned = std::move(value);
    return final;
}

Stop LineStep::into() {
    enters_inlined_calls_ = wish_.into.empty();
    if (!start()) return to_lines_further_out();
    for (;;) {
        if (plan_.calls.count(here())) {
            if (auto stop = enter_call()) return *stop;
            // Back behind the call: still on the line, unless the call was its last instruction.
            Stop stop;
            stop.reason = StopReason::stepped;
            stop.thread = thread_;
            if (look_around(stop) == Progress::arrived) return stop;
            continue;
        }
        auto jumped = pass_computed_jump();
        Stop stop = jumped ? *jumped : run_plan(plan_.calls);
        if (stop.reason != StopReason::stepped || left_by_landing_) return stop;
        if (look_around(stop) == Progress::keep_going) continue;
        if (!stop.left_function) return stop;
        return leave(std::move(stop));
    }
}

}  // namespace lantern
