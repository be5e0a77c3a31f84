// Putting our library in front of the allocator of a program that is to be launched.
#pragma once

#include <sys/types.h>

#include <cstdint>
#include <string>
#include <vector>

#include "core/support/address.h"
#include "heap/tables.h"

namespace lantern {

struct LaunchOptions;

struct HeapWish {
    std::string library;                  // path of it
    std::uint64_t keep_bytes = 8 << 20;   // freed blocks that are not given out again yet
    std::uint64_t guard_births = 10'000;  // so many blocks get a page behind them
    std::uint64_t guard_every = 1;        // of those that are born, each such one
    std::uint64_t guard_least = 0, guard_most = ~std::uint64_t{0};  // bytes
    std::vector<std::string> guard_places;  // where they are born; empty: anywhere
    heap_tables::GuardPage page = heap_tables::GuardPage::behind;
};

// By the loader's list of libraries to load first, in the environment; the library takes itself out
// of it before the program begins. Throws RequestError where the program is static, or the library
// is not there.
void put_heap_library_in_front(LaunchOptions& launch, const HeapWish& wish);

class LiveProcess;

// Lets the program use the page that the address is in, so that it can go on behind an instruction
// that touched it: the signal is not delivered. False: it is no page of the library's, or the
// kernel refuses.
bool open_guarded_page(LiveProcess& process, pid_t thread, RunAddress address);

}  // namespace lantern
