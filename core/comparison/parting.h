// Lays two walks side by side and finds where they part: the first value that differs, or the first
// call that one makes and the other does not.
//
//     A: enter tally(3)   enter toll(1)  return toll 5   enter toll(2)  return toll 7
//     B: enter tally(3)   (inlined)                      enter toll(2)  return toll 9    <- here
//
// Calls that are calls in one build only are passed over (see CallSites), and so is what differs
// between two runs of one build (see Unsteady).
#pragma once

#include <algorithm>
#include <map>
#include <optional>

#include "core/comparison/call_sites.h"
#include "core/comparison/walk.h"

namespace lantern {

// Why a value of a walk is not the same in a second run of the same build.
enum class Unsteadiness : std::uint8_t {
    none,
    run,      // it is not even when everything is as it was: time, chance, another process
    address,  // it is not when the program lies elsewhere in memory
    unset,    // it is not when memory that nothing has set holds something else
};

// A value of all calls of a function: one of its parameters, or what it returns.
struct Slot {
    std::uint32_t function = 0;
    WalkEvent::Kind kind = WalkEvent::Kind::entry;
    std::uint32_t value = 0;
    auto operator<=>(const Slot&) const = default;
};

// What a build does not do alike in each run. A value that changed once by time, chance or
// addresses can change wherever it is met; one that comes from memory that nothing has set is that
// very one.
struct Unsteady {
    std::map<Slot, Unsteadiness> slots;
    std::map<std::uint32_t, Unsteadiness> functions;  // that go other ways inside
    // Of a build that is alike in each run otherwise; else nobody knows whose doing it is.
    std::vector<bool> unset;                         // by value
    std::uint32_t unset_way_at = ~std::uint32_t{0};  // the event at which it takes another way
    // Of what was written, by number from 0; from `all_from` on there are more or fewer.
    struct Lines {
        std::map<std::uint64_t, Unsteadiness> each;
        std::uint64_t all_from = ~std::uint64_t{0};
        Unsteadiness all_why = Unsteadiness::none;

        Unsteadiness of(std::uint64_t line) const {
            auto found = each.find(line);
            if (found != each.end()) return found->second;
            return line >= all_from ? all_why : Unsteadiness::none;
        }
    };
    std::map<std::uint64_t, Lines> lines;  // by descriptor

    Unsteadiness of(const Slot& slot) const {
        auto found = slots.find(slot);
        return found == slots.end() ? Unsteadiness::none : found->second;
    }
    bool differs_by_run() const {
        auto is_by_run = [](const auto& each) { return each.second == Unsteadiness::run; };
        return std::ranges::any_of(slots, is_by_run) || std::ranges::any_of(functions, is_by_run);
    }
    bool is_unset(std::uint32_t value) const { return value < unset.size() && unset[value]; }
};

// What was told of a pair of walks besides where they part.
struct ParallelCounts {
    std::uint64_t matched = 0;          // entries that both made
    std::uint64_t passed_over[2] = {};  // calls that are none in the other build
    std::uint64_t fewer = 0;  // calls of functions without effect that one build makes less often
    std::uint64_t by_address = 0, by_run = 0, by_unset = 0;  // values that differ by themselves
    std::uint64_t lines = 0;        // written ones that differ by themselves
    std::uint64_t other_ways = 0;   // calls inside of which a build goes another way by itself
    std::uint64_t other_order = 0;  // pairs of calls that follow each other the other way round
    std::optional<std::array<std::uint32_t, 2>> first_other_order;  // events
    bool threads_in_other_order = false;
    std::uint64_t lonely_threads = 0;  // that one run has and the other has not
};

struct Parting {
    enum class Kind {
        none,
        value,    // the same event, another value
        path,     // another event
        written,  // something else was written
        end,      // one ends where the other goes on, or they end otherwise
    } kind = Kind::none;
    std::array<std::uint32_t, 2> event{};        // indexes; of a path: what each does instead
    std::uint32_t value = 0;                     // which of the event's
    std::array<std::uint32_t, 2> before{};       // the last events that were the same
    std::uint64_t matched = 0;                   // calls that both had made till then
    Unsteadiness unsteady = Unsteadiness::none;  // of the value, in one of the two builds
    unsigned unsteady_side = 0;
    // Of what was written: from which byte of that descriptor on, and the two lines.
    std::uint64_t descriptor = 0;
    std::array<std::string, 2> lines;
    std::uint64_t line = 0;  // its number, from 1
    // Of another way: behind it they meet again, and nothing that is computed or written differs.
    bool heals = false;
    ParallelCounts counts;
};

struct Partings {
    Parting first;
    Parting first_value;  // where `first` is another way that does not heal: what differs then

    // They have met again behind the other way, and gone on together for long.
    bool is_way_an_aside() const {
        constexpr std::uint64_t kLong = 10;  // calls
        return first.kind == Parting::Kind::path && first_value.kind == Parting::Kind::value &&
               first_value.matched >= first.matched + kLong;
    }
    // The one that is told first.
    const Parting& main() const { return is_way_an_aside() ? first_value : first; }
};

// `sites`: null where both are of one build. `unsteady` may be empty. A walk that is still going on
// is looked at as far as it has come. `thread`: only that one, by its number or name; empty: each
// for itself.
Partings find_parting(const std::array<const Walk*, 2>& walks, CallSites* sites,
                      const std::array<const Unsteady*, 2>& unsteady = {},
                      const std::string& thread = {});

// What differs between a walk and another one of the same build, made under other conditions.
void mark_unsteady(const Walk& walk, const Walk& again, unsigned side, CallSites* sites,
                   Unsteadiness why, Unsteady& unsteady);

}  // namespace lantern
