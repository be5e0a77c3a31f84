// The frame that a watched variable lives in: the watchpoint ends with it. It may return, or be
// left by longjmp or an exception; and what lies where it lay is another frame's then.
#include "core/session/landing.h"
#include "core/session/watching.h"

namespace lantern {
namespace {

// The frame that the value's variable lives in, if the value lies on the stack of the current
// thread.
std::optional<WatchedValue::Owner> owner_of(SessionParts& parts, RunAddress address) {
    const Frame* selected = parts.selection.frame();
    if (!selected) return std::nullopt;
    RunAddress top = parts.debuggee.target().registers(parts.selection.thread()).stack_pointer();
    Unwinder& stack = parts.selection.stack();
    for (unsigned level = 0; const Frame* frame = stack.frame(level); ++level) {
        if (!frame->call_frame_address || level > 10'000) return std::nullopt;
        if (address < top - 128 || address >= *frame->call_frame_address) continue;
        if (frame->inlined) continue;
        const Frame* caller = stack.caller_of_function(*frame);
        if (!caller) return std::nullopt;
        return WatchedValue::Owner{parts.selection.thread(), *frame->call_frame_address,
                                   caller->program_counter, frame_function_name(*frame)};
    }
    return std::nullopt;
}

}  // namespace

void Watching::watch_frame(WatchedValue& watched) {
    watched.owner = owner_of(parts_, watched.range.low);
    watch_end_of_frame(watched);
}

// Where the frame returns to, and wherever it may be left to.
void Watching::watch_end_of_frame(WatchedValue& watched) {
    if (!watched.owner) return;
    watched.frame_ends = {watched.owner->back};
    for (const LandingHook& hook : parts_.debuggee.landing_hooks())
        watched.frame_ends.push_back(hook.address);
    for (RunAddress end : watched.frame_ends) process_.insert_trap(end, ProbeClient::frame_end);
}

namespace {

std::string how_it_lands(LandingHook::Kind kind) {
    switch (kind) {
        case LandingHook::Kind::jumps: return "was left by longjmp";
        case LandingHook::Kind::recovered: return "was left by a panic";
        case LandingHook::Kind::caught: break;
    }
    return "was left by an exception that is caught here";
}

}  // namespace

// Asked at every stop: where nobody watches a local variable, nothing is looked up.
Watching::Left Watching::left(ThreadId thread) {
    Left left{{}, "was left without returning"};
    std::vector<Breakpoint*> watched;
    for (Breakpoint& breakpoint : parts_.breakpoints.all())
        if (breakpoint.is_watch() && breakpoint.is_on && !breakpoint.watched->has_ended &&
            breakpoint.watched->owner && breakpoint.watched->owner->thread == thread)
            watched.push_back(&breakpoint);
    if (watched.empty()) return left;
    RunAddress stack = process_.registers(thread).stack_pointer(),
               at = process_.registers(thread).program_counter();
    if (auto landing = landing_at(process_, parts_.debuggee.landing_hooks(), thread)) {
        stack = landing->stack_pointer;
        left.how = how_it_lands(landing->kind);
    }
    for (Breakpoint* breakpoint : watched) {
        const WatchedValue::Owner& owner = *breakpoint->watched->owner;
        // A coroutine may have a stack of its own further up, and come back.
        bool is_further_out =
            stack >= owner.frame && process_.region_at(stack) == process_.region_at(owner.frame);
        if (!is_further_out) continue;
        left.watchpoints.push_back(breakpoint);
        if (owner.back == at) left.how = "has returned";
    }
    return left;
}

bool Watching::is_frame_there(const Breakpoint& breakpoint, ThreadId thread) {
    const auto& owner = breakpoint.watched->owner;
    if (!owner || owner->thread != thread) return true;
    Unwinder stack(process_, thread);
    RunAddress low = process_.registers(thread).stack_pointer();
    if (process_.region_at(low) != process_.region_at(owner->frame)) return true;
    for (unsigned level = 0; const Frame* frame = stack.frame(level); ++level) {
        if (frame->is_signal_frame || !frame->call_frame_address) return true;
        if (frame->inlined) continue;
        const Frame* caller = stack.caller_of_function(*frame);
        if (!caller || caller->origin != FrameOrigin::call_frame_information) return true;
        RunAddress high = *frame->call_frame_address;
        // Its caller may have called another one since.
        if (owner->frame == high) return frame_function_name(*frame) == owner->function;
        if (owner->frame < high) return low >= owner->frame;
        low = high;
    }
    return true;
}

}  // namespace lantern
