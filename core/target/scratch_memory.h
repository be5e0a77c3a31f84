// Memory that a process has mapped for us, lent to the system calls of one thread at a time.
#pragma once

#include <algorithm>
#include <vector>

#include "core/support/address.h"
#include "core/target/target.h"

namespace lantern {

class ScratchMemory {
  public:
    struct Piece {
        RunRange range;
        ThreadId user = 0;  // 0: nobody
    };
    const std::vector<Piece>& all() const { return pieces_; }
    void clear() { pieces_.clear(); }
    void add(RunRange range, ThreadId user) { pieces_.push_back({range, user}); }
    RunRange of(ThreadId user) const {
        auto found = std::ranges::find(pieces_, user, &Piece::user);
        return found == pieces_.end() ? RunRange{} : found->range;
    }
    // One that is large enough and that nobody who `lives` uses goes to this thread, which gives
    // its own back. False: there is none.
    template <class Lives>
    bool give(ThreadId user, std::uint64_t size, Lives lives) {
        for (Piece& each : pieces_) {
            if (each.user == user) each.user = 0;  // too small from now on
            if (lives(each.user) || each.range.size() < size) continue;
            each.user = user;
            return true;
        }
        return false;
    }

  private:
    std::vector<Piece> pieces_;
};

}  // namespace lantern
