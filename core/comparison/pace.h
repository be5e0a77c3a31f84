// Goes through two walks at one pace: the events of one thread of each, as far as they correspond.
#pragma once

#include <functional>
#include <unordered_set>

#include "core/comparison/parting.h"

namespace lantern {

// The events of one thread that count.
struct PacedThread {
    std::vector<std::uint32_t> events;  // indexes
    std::vector<std::uint32_t>
        ends;  // of an entry: the place in `events` of its return; else of itself
    std::vector<bool> may_be_alone;  // of an entry: the other walk need not have it
};

// `likeness` of an entry; where there is none it counts for nothing, nor does its return.
std::map<std::uint16_t, PacedThread> paced_threads(
    const Walk& walk, const std::function<Likeness(const WalkEvent& entry)>& likeness);

class Pace {
  public:
    // Events, in the first and the second walk.
    using Both = std::array<std::uint32_t, 2>;
    // Same events with another value at that place; true: go no further.
    std::function<bool(Both events, std::uint32_t value)> differs;
    // They do something else from here on, or one is at its end (then its last event). `inside`:
    // the innermost call that both are in. True: go no further; else they meet again where it ends.
    std::function<bool(Both events, std::optional<std::uint32_t> inside)> parts;
    std::function<bool(std::uint32_t function)> has_no_effect;  // empty: all have

    Pace(const std::array<const Walk*, 2>& walks, ParallelCounts& counts)
        : walks_(walks), counts_(counts) {}
    void go(const PacedThread& first, const PacedThread& second);
    Both last_same() const { return last_; }

  private:
    struct Range {
        std::size_t at = 0, end = 0;
    };
    // A call that both are in: the places of its returns.
    struct Open {
        std::uint32_t function = 0;
        std::size_t first = 0, second = 0;
    };
    bool part(Range& first, Range& second);
    const WalkEvent& event(unsigned side, std::size_t at) const {
        return walks_[side]->events[threads_[side]->events[at]];
    }
    bool are_same(std::size_t first, std::size_t second) const;
    bool compare(std::size_t first, std::size_t second);
    bool go_ranges(Range first, Range second, int depth);
    bool skip_lonely(Range& first, Range& second);
    bool are_alike(std::size_t first, std::size_t second) const;
    bool skip_calls(Range& first, Range& second);
    bool cross(Range& first, Range& second, int depth);

    std::array<const Walk*, 2> walks_;
    ParallelCounts& counts_;
    std::array<const PacedThread*, 2> threads_{};
    std::vector<Open> open_;
    std::array<std::unordered_set<std::size_t>, 2> lonely_ends_;  // returns whose entry was skipped
    Both last_{};
};

// Whether two runs agree on it; true where they cannot be compared.
bool agree(const Walk& first, const WalkValue& one, const Walk& second, const WalkValue& other);

}  // namespace lantern
