// What the session wishes, in a variable of the environment: "keep=16777216 guard=10000".
#pragma once

#include <cstdint>

namespace lantern::heap_library {

struct Options {
    std::uint64_t keep_bytes = 8 << 20;  // of freed blocks
    std::uint64_t guard_births = 10000;  // so many blocks get a page behind them
    std::uint64_t guard_every = 1;       // of those that are born, each such one
    std::uint64_t guard_least = 0, guard_most = ~std::uint64_t{0};  // bytes
};
Options read_options();
// The program shall find its environment as it would be without us.
void clean_environment();

}  // namespace lantern::heap_library
