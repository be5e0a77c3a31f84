// A frame that may be left without returning, by an exception, a panic or longjmp: whether it is,
// and where that goes on.
#pragma once

#include "core/session/landing.h"
#include "core/session/movement.h"
#include "core/session/step_options.h"

namespace lantern {

class LeftFrame {
  public:
    LeftFrame(SessionParts& parts, Movement& movement)
        : parts_(parts), movement_(movement), hooks_(parts.debuggee.landing_hooks()) {}

    // What lands further in is none of the frame's: longjmp lands with its stack pointer at
    // `stack` or above, an exception in a frame whose identity is `frame` or above.
    void set_least(RunAddress stack, RunAddress frame) {
        least_stack_ = stack;
        least_frame_ = frame;
    }
    void add_stops(std::set<RunAddress>& stops) const {
        for (const LandingHook& hook : hooks_) stops.insert(hook.address);
    }
    // The thread stands at a hook, and control lands from there in the frame or further out.
    bool is_landing(ThreadId thread);
    // The current thread stands at one: to where that goes on; of a handler, to its first line.
    Stop land(const StepOptions& wish);

  private:
    Stop land_behind_panic();

    SessionParts& parts_;
    Movement& movement_;
    std::vector<LandingHook> hooks_;  // those that were there when the movement began
    RunAddress least_stack_, least_frame_;
};

}  // namespace lantern
