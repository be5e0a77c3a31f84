// Walks a thread's call stack, one frame at a time and no further than asked (DWARF 5 §6.4.4).
#pragma once

#include <deque>
#include <string>
#include <vector>

#include "core/unwind/frame.h"

namespace lantern {

class Unwinder {
  public:
    // `target` is borrowed; the result holds until the target moves.
    Unwinder(Target& target, ThreadId thread);
    Unwinder(const Unwinder&) = delete;
    Unwinder& operator=(const Unwinder&) = delete;

    // Null when the stack has fewer frames. Its call frame address is known if it can be. Frames stay where they are until this object goes.
    const Frame* frame(unsigned level);
    // The frame that called the function this frame belongs to, inlined calls passed over; null at the outermost.
    const Frame* caller_of_function(const Frame& frame);
    // Up to `limit` frames, innermost first.
    std::vector<const Frame*> frames(unsigned limit);
    // Why the walk ended: empty when it reached the outermost frame in order.
    const std::string& why_it_ended() const { return why_ended_; }

  private:
    struct Caller {
        Registers registers;
        FrameOrigin origin = FrameOrigin::call_frame_information;
    };

    void add_physical(const Registers& registers, FrameOrigin origin, bool is_call_site);
    void add_next();
    std::optional<Caller> caller_of(Frame& physical);
    std::optional<Caller> by_rules(Frame& physical, const dwarf::FrameDescription& description);
    std::optional<Caller> by_frame_pointer(const Frame& physical);
    std::optional<Caller> by_return_address(const Frame& physical);
    bool is_code(RunAddress address);

    Target& target_;
    ThreadId thread_;
    std::deque<Frame> frames_;
    std::size_t resolved_ = 0;  // how many of them know their own call frame address, or never will
    bool ended_ = false;
    std::string why_ended_;
};

// The call-frame row that holds at an address, if the module has one. Throws FormatError.
std::optional<dwarf::FrameRow> frame_row_at(const dwarf::FrameDescription& description, FileAddress pc);

}  // namespace lantern
