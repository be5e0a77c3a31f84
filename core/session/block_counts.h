// How often each block of a function has run, and each way from one to another. A breakpoint on all
// of the blocks is met at the first instruction of each and goes on.
//
//     pass_chamber:  ┌─ 12 ─┐            all: 12, since the last stop: 3
//                    ▼ 12   │ 11
//                   loop ───┘
#pragma once

#include <cstdint>
#include <map>
#include <utility>

#include "core/support/address.h"
#include "core/target/target.h"

namespace lantern {

class BlockCounts {
  public:
    struct Runs {
        std::uint64_t all = 0;
        std::uint64_t since_last_stop = 0;  // that is, on the way to where it stands now
        std::uint64_t on_the_way = 0;       // from where it stands on
    };

    // A thread has come to the block that begins at the run address. `frame` tells one call of the
    // function from another: its call frame address. A call that begins where another one's frame
    // lay looks like a way from that one's end to the entry; the code has no such way.
    void add(RunAddress block, ThreadId thread, RunAddress frame);
    // The user is told of a stop: what has run from here on is of the next.
    void stopped();
    void clear() { *this = {}; }

    Runs of_block(RunAddress block) const;
    Runs of_way(RunAddress from, RunAddress to) const;

  private:
    std::map<RunAddress, Runs> blocks_;
    std::map<std::pair<RunAddress, RunAddress>, Runs> ways_;
    std::map<std::pair<ThreadId, RunAddress>, RunAddress> last_;  // of each call the block it is in
};

}  // namespace lantern
