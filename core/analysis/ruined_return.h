// A return address, or the canary in front of it, that was overwritten, and the array of the frame
// that was most likely run over.
//
//     lower   label      8 bytes   "a lock o"   the text begins in it
//             rbp                  "f a leng"
//     higher  return address       "th that …   and goes on here
#pragma once

#include <optional>
#include <string>

#include "core/session/moment.h"

namespace lantern {

struct RuinedReturn {
    unsigned level = 0;       // of the frame whose function it is; of no use where it has no name
    std::string function;     // empty: the program has gone to where the address leads already
    bool is_canary = false;   // else the return address
    RunAddress slot;          // where it lies
    std::uint64_t value = 0;  // what was written there
    // The array; empty where none lies in front of it.
    std::string array;
    std::uint64_t array_size = 0;  // bytes
    std::string text;  // begins in the array and goes on to the slot at least; may be empty
};

// Nothing where the stop has another cause.
std::optional<RuinedReturn> ruined_return_of(const Moment& moment, const Stop& stop);

}  // namespace lantern
