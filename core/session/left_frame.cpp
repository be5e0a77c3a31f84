#include "core/session/left_frame.h"

#include <algorithm>

#include "core/session/events.h"
#include "core/session/line_step.h"

namespace lantern {
namespace {

// Of a thread that stands behind the beginning of a catch: where its handler begins, if that is on
// the line of the catch itself. A step over that line would pass it.
//
//     31  } catch (const Error& error) { sum -= rest(boats); }
std::optional<FileAddress> begun_beside_catch(const Frame& frame, const FlowGraph& flow) {
    FileAddress at = frame.file_address();
    const auto& positions = frame.module->symbols().positions_of(*frame.function);
    auto standing = positions.in_force(at);
    if (!standing || !standing->file) return std::nullopt;
    auto is_beside = [&](const CodePosition& position) {
        return position.is_on(*standing->file, standing->line) &&
               position.inlined == standing->inlined;
    };
    auto next = std::ranges::upper_bound(positions.all(), at, {}, &CodePosition::address);
    auto other = std::find_if_not(next, positions.all().end(), is_beside);
    if (next != other && next->column > standing->column) return next->address;
    auto calls_here = [&](const FlowGraph::Node& node) {
        return node.kind == Instruction::Kind::call && node.address >= at &&
               (other == positions.all().end() || node.address < other->address);
    };
    return std::ranges::any_of(flow.nodes(), calls_here) ? std::optional(at) : std::nullopt;
}

// Of a thread that cleans up behind a panic: the frame that has the handler. Functions of Rust's
// runtime lie between; their frames are where those lay that the panic has left.
const Frame* recovering_frame(Unwinder& walk) {
    for (unsigned level = 1; const Frame* frame = walk.frame(level); ++level)
        if (!frame->inlined && !frame_function_name(*frame).starts_with("std::panicking::"))
            return frame;
    return nullptr;
}

bool is_users_own(const Frame& frame, const LibraryRules& libraries) {
    return frame.function && frame.line && !libraries.is_library(*frame.module) &&
           !libraries.is_library_source(frame.line->file);
}

}  // namespace

bool LeftFrame::is_landing(ThreadId thread) {
    auto landing = landing_at(parts_.debuggee.process(), hooks_, thread);
    if (!landing) return false;
    if (landing->kind == LandingHook::Kind::jumps) return landing->stack_pointer >= least_stack_;
    Unwinder walk(parts_.debuggee.process(), thread);
    if (landing->kind == LandingHook::Kind::recovered) {
        // catch_unwind calls a function that has the handler: where it is our own frame that called
        // it, the step goes on.
        const Frame* frame = recovering_frame(walk);
        return frame && frame->call_frame_address && *frame->call_frame_address > least_frame_;
    }
    const Frame* catcher = walk.frame(1);
    while (catcher && catcher->inlined) catcher = walk.frame(catcher->level + 1);
    return catcher && catcher->call_frame_address && *catcher->call_frame_address >= least_frame_;
}

Stop LeftFrame::land(const StepOptions& wish) {
    LiveProcess& process = parts_.debuggee.process();
    ThreadId mover = parts_.selection.thread();
    auto landing = landing_at(process, hooks_, mover);
    if (landing->kind == LandingHook::Kind::jumps) {
        Stop stop = movement_.run({landing->program_counter}, [&](ThreadId thread) {
            return thread == mover &&
                   process.registers(thread).stack_pointer() == landing->stack_pointer;
        });
        stop.facts.push_back({"landed", "longjmp came here"});
        return stop;
    }
    if (landing->kind == LandingHook::Kind::recovered) return land_behind_panic();
    std::vector<StopFact> facts = facts_of(parts_.moment(), Cause::caught, mover);
    Unwinder walk(process, mover);
    const Frame* catcher = walk.frame(1);
    RunAddress back = catcher->program_counter,
               identity = walk.frame(0)->call_frame_address.value_or(RunAddress());
    Stop stop = movement_.run({back}, [&](ThreadId thread) {
        return thread == mover && movement_.frame_identity(thread) > identity;
    });
    if (stop.reason != StopReason::stepped) return stop;
    Unwinder handler(process, mover);
    const Frame& frame = *handler.frame(0);
    std::optional<FileAddress> beside;
    if (frame.function)
        beside = begun_beside_catch(frame, parts_.debuggee.flow_of(*frame.module, *frame.function));
    if (!beside)
        stop = LineStep(parts_, movement_, wish).over();
    else if (*beside != frame.file_address())
        stop = movement_.run({frame.module->to_run(*beside)},
                             [&](ThreadId thread) { return thread == mover; });
    stop.facts.insert(stop.facts.begin(), facts.begin(), facts.end());
    return stop;
}

// To the user's own frame that asked for the panic to be caught.
Stop LeftFrame::land_behind_panic() {
    ThreadId mover = parts_.selection.thread();
    std::vector<StopFact> facts = facts_of(parts_.moment(), Cause::caught, mover);
    Unwinder walk(parts_.debuggee.process(), mover);
    const Frame* goal = recovering_frame(walk);
    for (unsigned level = goal->level; const Frame* frame = walk.frame(level); ++level)
        if (!frame->inlined && is_users_own(*frame, parts_.libraries)) {
            goal = frame;
            break;
        }
    RunAddress back = goal->program_counter,
               identity = goal->call_frame_address.value_or(RunAddress());
    Stop stop = movement_.run({back}, [&](ThreadId thread) {
        return thread == mover && movement_.frame_identity(thread) >= identity;
    });
    stop.facts.insert(stop.facts.end(), facts.begin(), facts.end());
    stop.facts.push_back({"landed", "a panic came here"});
    return stop;
}

}  // namespace lantern
