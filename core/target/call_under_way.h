// What we do about the system call that a thread is in, where something is watched that the call
// may touch.
#pragma once

#include <optional>
#include <vector>

#include "core/machine/registers.h"
#include "core/machine/system_call.h"

namespace lantern {

struct CallUnderWay {
    bool entry_is_told = false;  // of the one that it enters next
    // Into watched pages: it is passed over, and comes again when there is memory for it or the
    // pages are open.
    std::optional<Registers> passed_over;  // as it stood before it
    bool lifts_next = false, runs_lifted = false;
    std::optional<CallBuffer> lent;  // it uses memory of ours instead of this buffer
    std::uint64_t wants_scratch =
        0;  // bytes; the call that was passed over comes again when they are there
    // What the debug registers watch, as it was at its entry; which of them it may write, and which
    // it reads, by bits.
    std::vector<std::byte> before;
    unsigned written = 0, read = 0;
    bool is_known = false;

    bool is_ours() const { return passed_over || lifts_next; }
};

}  // namespace lantern
