// Where `into` goes from a call: through linkage tables, thunks and the library code in between, to
// the user's own function.
#include "core/machine/instruction.h"
#include "core/session/line_step.h"
#include "core/support/text.h"
#include "core/target/code_at.h"
#include "core/target/linkage.h"

namespace lantern {
namespace {

constexpr int kDeepestSearch =
    10;  // library functions that call each other on the way to the user's
constexpr unsigned kMostSearchStops = 400;
constexpr int kLongestThunk = 6;  // instructions

}  // namespace

bool LineStep::is_wanted(std::string_view name) const {
    return name == wish_.into || name.ends_with("::" + wish_.into) ||
           name.starts_with(wish_.into + "<");
}

bool LineStep::is_wanted(const Function& function) const {
    return wish_.into.empty() || is_wanted(function.name) || function.linkage_name == wish_.into;
}

// Runs on until the function that was entered has come back. Nothing when it has; else why it did
// not.
std::optional<Stop> LineStep::run_back(RunAddress back, RunAddress identity) {
    std::set<RunAddress> stops{back};
    left_frame_.add_stops(stops);
    bool landed = false;
    Stop stop = movement_.run(stops, [&](ThreadId thread) {
        if (thread != mover()) return false;
        RunAddress at = process_.registers(thread).program_counter();
        if (at != back) return landed = left_frame_.is_landing(thread);
        return movement_.frame_identity(thread) >= identity;
    });
    if (stop.reason != StopReason::stepped) return stop;
    if (!landed) return stop.breakpoints.empty() ? std::nullopt : std::optional(stop);
    return land();
}

// Standing on a call: enters it. A function that is not to be entered is run through instead.
// Nothing: go on with the line.
std::optional<Stop> LineStep::enter_call() {
    Stop stop = movement_.step_instruction();
    if (stop.reason != StopReason::stepped) return stop;
    if (!stop.breakpoints.empty()) return met_on_the_way(std::move(stop));
    return enter_function(here(), 0);
}

// Standing at the first instruction of whatever was called.
std::optional<Stop> LineStep::enter_function(RunAddress entered, int depth) {
    RunAddress top = process_.registers(mover()).stack_pointer();
    RunAddress back(process_.read<std::uint64_t>(top));
    RunAddress callee = behind_linkage_table(process_, entered);
    FunctionAt called = function_at(process_, callee);
    // A thunk that moves the object's address and jumps on has no debug information of its own.
    for (int i = 0; !called.function && called.module && callee == here() && i < kLongestThunk &&
                    is_steppable(*called.module);
         ++i) {
        auto instruction = instruction_at(process_, callee);
        if (!instruction || (instruction->kind != Instruction::Kind::ordinary &&
                             instruction->kind != Instruction::Kind::jump))
            break;
        Stop stop = movement_.step_instruction();
        if (stop.reason != StopReason::stepped || !stop.breakpoints.empty())
            return met_on_the_way(std::move(stop));
        callee = behind_linkage_table(process_, here());
        called = function_at(process_, callee);
    }
    auto [module, function] = called;
    bool anyway =
        wish_.anyway && module && (wish_.into.empty() || (function && is_wanted(*function)));
    bool enters =
        function && is_wanted(*function) && is_steppable(*module, module->to_file(callee));
    if (enters || anyway) {
        Movement::Positions positions;
        std::set<RunAddress> bodies;
        if (!function) bodies.insert(callee);
        for (const CodePosition& start :
             function ? body_starts(module->symbols(), *function) : std::vector<CodePosition>()) {
            RunAddress at = module->to_run(start.address);
            bodies.insert(at);
            if (start.line) positions.emplace(at, start);
        }
        if (bodies.contains(here())) {
            Stop stop;
            stop.reason = StopReason::stepped;
            stop.thread = mover();
            if (auto start = positions.find(here()); start != positions.end())
                stop.position = start->second;
            return stop;
        }
        return movement_.run(
            bodies, [this](ThreadId thread) { return thread == mover(); }, &positions);
    }
    bool passes_through = function && is_steppable(*module) && here() == callee &&
                          depth < kDeepestSearch && searches_ < kMostSearchStops;
    if (passes_through) return through_library(*module, *function, depth);
    return run_back(back, top + 8);
}

// Standing at the beginning of a library's function that was compiled into the user's code: a
// template that may call what the user gave it. Its calls are looked at one by one.
std::optional<Stop> LineStep::through_library(const Module& module, const Function& function,
                                              int depth) {
    RunAddress top = process_.registers(mover()).stack_pointer(), identity = top + 8;
    RunAddress back(process_.read<std::uint64_t>(top));
    const FlowGraph& whole = parts_.debuggee.flow_of(module, function);
    if (!whole.is_complete()) return run_back(back, identity);
    std::set<RunAddress> calls, exits;
    for (const FlowGraph::Node& node : whole.nodes()) {
        if (node.kind == Instruction::Kind::call) calls.insert(module.to_run(node.address));
        if (node.leaves()) exits.insert(module.to_run(*node.target));
    }
    std::set<RunAddress> stops = calls;
    stops.insert(exits.begin(), exits.end());
    stops.insert(back);
    left_frame_.add_stops(stops);
    for (;;) {
        if (++searches_ > kMostSearchStops) return run_back(back, identity);
        if (!calls.count(here())) {
            bool landed = false;
            Stop stop = movement_.run(stops, [&](ThreadId thread) {
                if (thread != mover()) return false;
                RunAddress at = process_.registers(thread).program_counter();
                if (!calls.count(at) && !exits.count(at) && at != back)
                    return landed = left_frame_.is_landing(thread);
                return movement_.frame_identity(thread) >= identity;
            });
            if (stop.reason != StopReason::stepped || !stop.breakpoints.empty())
                return met_on_the_way(std::move(stop));
            if (landed) return land();
        }
        if (here() == back) return std::nullopt;
        bool at_call = calls.count(here()) != 0;
        if (at_call) {
            Stop stop = movement_.step_instruction();
            if (stop.reason != StopReason::stepped || !stop.breakpoints.empty())
                return met_on_the_way(std::move(stop));
        }
        if (auto stop = enter_function(here(), depth + 1)) return stop;
        if (here() == back || !at_call)
            return std::nullopt;  // a jump at the end: whom it led to returned for us
    }
}

}  // namespace lantern
