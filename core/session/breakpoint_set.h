// The breakpoints by their numbers, and by the addresses at which the running program has them.
#pragma once

#include <list>
#include <optional>
#include <unordered_map>
#include <vector>

#include "core/session/breakpoint.h"

namespace lantern {

class LiveProcess;

class BreakpointSet {
  public:
    std::list<Breakpoint>& all() { return all_; }
    const std::list<Breakpoint>& all() const { return all_; }
    // One that has no number gets the next. It stays where it is until it is erased.
    Breakpoint& add(Breakpoint wish);
    // Those of the process that this one is a copy of, with their counts; none of them stands in
    // the copy yet.
    void inherit(const BreakpointSet& parent);
    Breakpoint& numbered(unsigned number);  // throws RequestError
    bool has(unsigned number) const;
    void pass_over(unsigned number);  // it is another process' alone, and nobody gets it here
    void erase(unsigned number);      // its sites must be out
    std::vector<unsigned> others_at(
        const Breakpoint& wanted) const;  // the numbers of those that stand at the very same sites
    bool is_any_on(Cause cause) const;
    bool is_any_watched_by_registers() const;

    // A breakpoint that is on, at the address of one of its sites.
    struct SiteHere {
        Breakpoint* breakpoint = nullptr;
        std::optional<CodePosition> position;
        int order = 0;          // of the position; what stands at the bare address comes last
        std::string split_off;  // the function that a part of begins here; see CodeSite
        std::vector<Breakpoint::Site::Jump> jumps_past;
    };
    std::vector<SiteHere> at(RunAddress address) const;  // in order
    // Some site must know who takes the jump that stands there (see jumping.h).
    bool is_jump_past(RunAddress address) const { return jumps_past_.contains(address); }
    bool has_jumps_past() const { return !jumps_past_.empty(); }

    // Puts the sites of one that is on into the process. Throws MemoryError.
    void insert_sites(Breakpoint& breakpoint, LiveProcess& process);
    void remove_sites(Breakpoint& breakpoint, LiveProcess* process);  // null: it is gone
    // The program is gone, and its memory with it: watchpoints end, but for those of what lies in
    // the program itself.
    void forget_sites();

  private:
    std::list<Breakpoint> all_;
    std::unordered_map<RunAddress, std::vector<SiteHere>> at_address_;
    std::unordered_map<RunAddress, unsigned> jumps_past_;  // how many sites
    unsigned next_ = 1;
};

}  // namespace lantern
