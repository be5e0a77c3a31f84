// Finding the arenas of the C library.
#pragma once

#include "core/heap/heap.h"

namespace lantern {

struct AllocatorFound {
    std::string library;  // "the C library 2.36"
    std::vector<HeapArena> arenas;
    const Module* module = nullptr;  // whose malloc it is
    // What the threads keep in their thread-local memory, in order: pointers to their lists are
    // there.
    std::vector<std::uint64_t> thread_words;
};

// By the name of its first arena, where the library's symbols tell it; else by looking through its
// writable data for what can only be one. Throws RequestError.
AllocatorFound find_allocator(Target& target);

}  // namespace lantern
