// The margins around blocks and the fill of freed ones, as our library in front of the allocator
// has left them: whatever differs was written by somebody who had no business there.
#pragma once

#include <span>

#include "core/heap/heap.h"
#include "heap/tables.h"

namespace lantern {

// Adds what was written to the heap's damage. `blocks` by address. A page that nobody may touch
// cannot have been written, and is passed over.
void find_written_margins(Target& target, std::span<const heap_tables::Block> blocks, Heap& heap);

}  // namespace lantern
