#include "core/session/line_step.h"

#include "core/machine/instruction.h"
#include "core/support/error.h"

namespace lantern {

LineStep::LineStep(Session& session, Movement& movement)
    : session_(session), movement_(movement), process_(session.process()), thread_(session.thread()) {}

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
    plan(ranges_of_line(module_->symbols(), *function_, line_));
    return true;
}

bool LineStep::is_steppable(const Module& module) const {
    return !module.is_system_library() || &module == module_;
}

void LineStep::plan(std::vector<FileRange> ranges) {
    plan_ = plan_ranges(process_, *module_, std::move(ranges));
}

bool LineStep::is_in_frame_or_outside(ThreadId thread) {
    return thread == thread_ && movement_.frame_identity(thread) >= identity_;
}

Stop LineStep::run_plan(const std::set<RunAddress>& also) {
    // Bytes that cannot be decoded have no known way out: go through them one instruction at a time.
    if (!plan_.is_complete) return movement_.step_instruction();
    std::set<RunAddress> stops = plan_.exits;
    stops.insert(plan_.computed_jumps.begin(), plan_.computed_jumps.end());
    stops.insert(also.begin(), also.end());
    if (return_address_) stops.insert(*return_address_);
    return movement_.run(stops, [this](ThreadId thread) { return is_in_frame_or_outside(thread); });
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
    auto has_lines = [&](const Frame& frame) { return frame.line && frame.module && is_steppable(*frame.module); };
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
    for (;;) {
        auto jumped = pass_computed_jump();
        Stop stop = jumped ? *jumped : run_plan({});
        if (stop.reason != StopReason::stepped) return stop;
        if (look_around(stop) == Progress::keep_going) continue;
        if (!stop.left_function) return stop;
        return leave(std::move(stop));
    }
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

namespace {

// The code that a procedure linkage table entry leads to, when it is already bound (System V ABI x86-64 §5.2).
RunAddress behind_linkage_table(Target& target, RunAddress at) {
    for (int hops = 0; hops < 3; ++hops) {
        const Module* module = target.module_at(at);
        if (!module) return at;
        const Section* section = module->symbols().elf().section_at(module->to_file(at));
        if (!section || !section->name.starts_with(".plt")) return at;
        RunAddress jump = at;
        bool found = false;
        for (int i = 0; i < 3 && !found; ++i) {  // some entries begin with a landing mark
            std::byte bytes[kLongestInstruction];
            auto instruction = decode_instruction(ByteSpan(bytes, target.read_available(jump, bytes)), jump);
            if (!instruction) return at;
            if (instruction->kind == Instruction::Kind::jump) {
                if (instruction->memory.size() != 1 || instruction->memory[0].base != kProgramCounterNumber) return at;
                auto slot = instruction->next().value + static_cast<std::uint64_t>(instruction->memory[0].displacement);
                at = RunAddress(target.read<std::uint64_t>(RunAddress(slot)));
                found = true;
            }
            jump = instruction->next();
        }
        if (!found) return at;
    }
    return at;
}

}  // namespace

// Standing on a call: enters it. A function without lines is run through instead. Nothing: go on with the line.
std::optional<Stop> LineStep::enter_call() {
    Stop stop = movement_.step_instruction();
    if (stop.reason != StopReason::stepped) return stop;
    RunAddress callee = behind_linkage_table(process_, here());
    const Module* module = process_.module_at(callee);
    const Function* function = module ? module->symbols().function_at(module->to_file(callee)) : nullptr;
    if (function && is_steppable(*module) && module->symbols().line_at(module->to_file(callee))) {
        RunAddress body = module->to_run(after_prologue(module->symbols(), *function));
        if (here() == body) return stop;
        return movement_.run({body}, [this](ThreadId thread) { return thread == thread_; });
    }
    RunAddress back(process_.read<std::uint64_t>(process_.registers(thread_).stack_pointer()));
    stop = movement_.run({back}, [this](ThreadId thread) { return is_in_frame_or_outside(thread); });
    if (stop.reason != StopReason::stepped) return stop;
    return std::nullopt;
}

Stop LineStep::into() {
    enters_inlined_calls_ = true;
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
        if (stop.reason != StopReason::stepped) return stop;
        if (look_around(stop) == Progress::keep_going) continue;
        if (!stop.left_function) return stop;
        return leave(std::move(stop));
    }
}

}  // namespace lantern
