// The pages of a process whose rights are taken away because something in them is watched.
#pragma once

#include <vector>

#include "core/machine/registers.h"
#include "core/machine/system_call.h"
#include "core/support/address.h"

namespace lantern {

class WatchedPages {
  public:
    struct Pages {
        RunRange watched, pages;
        bool against_reads = false;
        int rights = 0;      // as they were: PROT_READ …
        int closed() const;  // the rights while it is watched
    };

    bool empty() const { return all_.empty(); }
    std::size_t size() const { return all_.size(); }
    const std::vector<Pages>& all() const { return all_; }
    void add(RunRange watched, bool against_reads, int rights);  // closed by whoever adds it
    void remove(RunRange watched);
    void clear() { all_.clear(); }
    static RunRange around(RunRange range);  // whole pages

    bool contain(RunAddress address) const;  // in one of the pages
    bool watch(RunRange range) const;        // something in it
    // Of a system call. The buffer lies in them, and what is done to it is not allowed there:
    // reading is refused only where reads are watched.
    bool refuse(const CallBuffer& buffer) const;
    // An argument, but for the one of that number, points into them; or so shortly before them that
    // what it points at could reach into them.
    bool are_pointed_at(const Registers& call, unsigned but_for) const;
    bool may_be_reached(const Registers& call) const;

  private:
    std::vector<Pages> all_;
};

}  // namespace lantern
