// Which calls of the source are calls in both builds. A compiler puts bodies in the place of calls,
// makes loops of recursion, merges calls and drops those whose result it knows; such a call cannot
// be walked in step. A call is told by the line that makes it and by what it calls.
//
//     line 12 calls toll    in A: a call        in B: two calls            surely
//     line 14 calls toll    in A: a call        in B: its body             not at all
//     line 15 calls tally   in A: a call        in B: a call and a body    perhaps
#pragma once

#include <map>
#include <set>
#include <unordered_map>
#include <unordered_set>
#include <vector>

#include "core/comparison/function_pairs.h"
#include "core/comparison/walk.h"

namespace lantern {

// Whether a call of a walk has its like in the other build.
enum class Likeness : std::uint8_t {
    surely,
    perhaps,  // some of the calls of that line are calls there, some are not
    not_at_all,
};

class CallSites {
  public:
    // Looks through the code of all functions. Both are borrowed.
    CallSites(const BothBuilds& builds, const FunctionPairs& functions);

    // Whether a call that was made in that build is one in the other too.
    Likeness likeness(unsigned side, const WalkEvent& entry);
    // The function touches nothing but its own frame, and calls nothing that does: a compiler may
    // call it less often than the source says.
    bool has_no_effect(std::uint32_t function);

  private:
    struct Site {
        std::string file;
        std::uint32_t line = 0;
        auto operator<=>(const Site&) const = default;
    };
    struct Count {
        unsigned calls = 0, inlined = 0;
    };
    struct OfBuild {
        std::map<std::pair<std::uint32_t, Site>, Count> counts;  // by what is called, from where
        std::map<Site, unsigned> computed;  // calls whose target is only known when they run
        std::unordered_map<std::uint64_t, std::uint32_t> numbers;  // of functions, by entry
        std::unordered_map<std::uint64_t, std::uint64_t>
            direct;  // what calls that name their target lead to, by the address behind them
        std::unordered_map<std::uint64_t, std::vector<std::pair<std::uint64_t, Site>>>
            jumps;  // out of a function to another's entry, by the function's own
        std::unordered_set<std::uint64_t> before;  // addresses behind any call that was looked at
    };
    void look_through(unsigned side);
    void look_for_calls(unsigned side, const Function& function);
    void look_for_copies(unsigned side, const Scope& scope);
    Site site_of(unsigned side, const std::string& file, std::uint32_t line) const;
    Site site_at(unsigned side, FileAddress address) const;
    Count count(unsigned side, std::uint32_t function, const Site& site) const;
    unsigned calls_at(unsigned side, std::uint32_t function, const Site& site) const;
    Likeness likeness_of(unsigned side, std::uint32_t function, const Site& site) const;
    Likeness find_likeness(unsigned side, const WalkEvent& entry) const;
    void look_for_vanished(unsigned side);
    std::vector<Site> jumps_to(unsigned side, std::uint64_t from, std::uint32_t function) const;
    bool look_for_effects(std::uint32_t function);

    BothBuilds builds_;
    const std::vector<FunctionPair>& pairs_;
    const FunctionPairs& functions_;
    std::unordered_multimap<std::string, std::uint32_t> named_;
    std::array<OfBuild, 2> of_;
    // Calls of a function from a file that stand in one build only, and are not inlined in the
    // other: dropped, or made one with another of these.
    std::set<std::pair<std::uint32_t, std::string>> vanished_;
    std::unordered_map<std::uint32_t, bool> without_effect_;
    std::array<std::map<std::array<std::uint64_t, 3>, Likeness>, 2> known_;
};

}  // namespace lantern
