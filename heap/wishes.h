// What the session wishes, in a variable of the environment: "keep=16777216 guard=10000".
#pragma once

#include <cstdint>

#include "heap/tables.h"

namespace lantern::heap_library {

struct Options {
    std::uint64_t keep_bytes = 8 << 20;  // of freed blocks
    std::uint64_t guard_births = 10000;  // so many blocks get a page behind them
    std::uint64_t guard_every = 1;       // of those that are born, each such one
    std::uint64_t guard_least = 0, guard_most = ~std::uint64_t{0};  // bytes
    std::uint64_t guard_page = 1;                                   // heap_tables::GuardPage
    std::uint64_t guard_named = 0;  // 1: only those of the head's named places
};
Options read_options();
// The program shall find its environment as it would be without us.
void clean_environment(char** environment);

inline constexpr char kPreload[] = "LD_PRELOAD=";
// What was taken out of it, for a program that this process becomes; empty where it was not there.
struct KeptWishes {
    char options[512];
    char preload[4096];  // only ours
};
const KeptWishes& kept_wishes();

}  // namespace lantern::heap_library
