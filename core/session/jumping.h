// Who jumps to an address may come behind some of its positions (code/jumped_past.h). A breakpoint
// on one of these stops at the jumps as well, only to see who takes them:
//
//     0x1670  jmp  0x1684          ─┐  looked at: thread 1 jumps to 0x1684 from here
//     0x1684  line 62 (row 0)       │  the breakpoint: not met by thread 1
//     0x1684  line 66 (row 1)     ◄─┘
#pragma once

#include <map>

#include "core/target/target.h"

namespace lantern {

class Jumping {
  public:
    // The thread stands at such a jump, and is about to go on.
    void look(Target& target, ThreadId thread);
    // The thread has come to the address: the jump that it took to there, both run addresses.
    // Nothing where it took none of those that were looked at. Asked once for each coming.
    std::optional<RunAddress> came_from(ThreadId thread, RunAddress at);
    void forget() { jumps_.clear(); }

  private:
    struct Jump {
        RunAddress from, to;
    };
    std::map<ThreadId, Jump> jumps_;
};

}  // namespace lantern
