#include "core/heap/heap.h"

#include <algorithm>

#include "core/heap/arenas.h"
#include "core/heap/heap_walk.h"
#include "core/heap/short_lists.h"

namespace lantern {

bool Heap::is_being_changed() const {
    return std::any_of(arenas.begin(), arenas.end(),
                       [](const HeapArena& arena) { return arena.is_locked; });
}

const HeapBlock* Heap::block_at(RunAddress address) const {
    auto behind = std::upper_bound(
        blocks.begin(), blocks.end(), address.value,
        [](std::uint64_t at, const HeapBlock& block) { return at < block.address; });
    if (behind == blocks.begin()) return nullptr;
    const HeapBlock& block = *std::prev(behind);
    return address.value <= block.end() ? &block : nullptr;
}

Heap read_heap(Target& target, const std::function<void(double done)>& progress) {
    Heap heap;
    AllocatorFound found = find_allocator(target);
    heap.library = std::move(found.library);
    heap.arenas = std::move(found.arenas);
    std::uint64_t whole = 0, done = 0;
    for (const HeapArena& arena : heap.arenas)
        for (const RunRange& piece : arena.pieces) whole += piece.size();
    HeapWords words(target);
    for (HeapArena& arena : heap.arenas)
        for (RunRange& piece : arena.pieces)
            walk_piece(words, arena, piece, heap, [&](std::uint64_t bytes) {
                done += bytes;
                if (progress) progress(static_cast<double>(done) / static_cast<double>(whole));
            });
    find_own_mappings(target, heap);
    std::sort(heap.blocks.begin(), heap.blocks.end(),
              [](const HeapBlock& a, const HeapBlock& b) { return a.address < b.address; });
    read_short_lists(target, heap);
    check_lists(target, heap);
    std::stable_sort(heap.damage.begin(), heap.damage.end(),
                     [](const HeapDamage& a, const HeapDamage& b) { return a.at < b.at; });
    return heap;
}

}  // namespace lantern
