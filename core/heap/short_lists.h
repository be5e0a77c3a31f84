// The lists in which the library keeps freed blocks: which of the blocks are free, and whether the
// lists hold together. (For heap.cpp.)
#pragma once

#include "core/heap/heap.h"

namespace lantern {

// Marks the blocks that are kept for the next request, by arenas and threads. `thread_words`: see
// AllocatorFound.
void read_short_lists(Target& target, Heap& heap, const std::vector<std::uint64_t>& thread_words);
// Goes through the lists of free chunks of each arena and tells what does not come back.
void check_lists(Target& target, Heap& heap);

}  // namespace lantern
