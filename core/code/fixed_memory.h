// The memory of a variable with a fixed address, as the instructions of a function use it. Whoever
// runs may have that address: what writes through a pointer, and a call, may write it.
//
//     mov [rip+0x2e58], esi     writes it
//     mov [rdx], eax            may write it
//     mov [rsp+8], eax          is the frame's own
#pragma once

#include "core/code/frame_slots.h"

namespace lantern {

class FixedMemory {
  public:
    // Both are borrowed. `address`: of the file; `size`: bytes, of the part that is asked about.
    FixedMemory(const FlowGraph& flow, const FrameSlots& slots, FileAddress address, unsigned size)
        : flow_(flow), slots_(slots), address_(address), size_(size) {}

    FrameSlots::Touch touch(std::uint32_t node) const;
    // By its address; through a pointer is not told.
    bool reads(std::uint32_t node) const;

  private:
    std::optional<FileAddress> place_of(std::uint32_t node, const MemoryAccess& access) const;

    const FlowGraph& flow_;
    const FrameSlots& slots_;
    FileAddress address_;
    unsigned size_;
};

}  // namespace lantern
