// What our library in front of the allocator has written down of each block (heap/tables.h). It
// lies in the process that is looked at, which may have written over it: nothing of it is believed
// that was not checked.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "core/heap/heap.h"
#include "heap/tables.h"

namespace lantern {

class HeapHistory {
  public:
    using Block = heap_tables::Block;

    // Nothing where the library is not in the process, or was not asked for anything yet. Reads the
    // head only. Throws RequestError where it is of another build, or its head was written over.
    static std::optional<HeapHistory> in(Target& target);

    // The library's head, read already. Throws as above.
    static HeapHistory of(Target& target, const Module& library, const heap_tables::Head& head);

    const heap_tables::Head& head() const { return head_; }
    // The records of all blocks that live or are kept back, by address. `damaged`: how many records
    // were none. Throws what `progress` throws.
    struct Blocks {
        std::vector<Block> all;
        std::uint64_t damaged = 0;
    };
    Blocks blocks(const std::function<void(double done)>& progress = {}) const;
    // By the number of its record; nothing where that is none.
    std::optional<Block> record(std::uint32_t number) const;
    // Where each of its calls returns to, the innermost first; empty where it is not known.
    std::vector<RunAddress> calls(std::uint32_t stack) const;
    double seconds(std::uint64_t ticks) const;  // since the first request
    std::uint64_t births() const;               // in all threads so far
    std::vector<heap_tables::Picture> pictures() const;

    // The heap as these records tell it.
    Heap heap(const std::function<void(double done)>& progress = {}) const;

  private:
    HeapHistory(Target& target, const Module& module, const heap_tables::Head& head)
        : target_(&target), module_(&module), head_(head) {}
    bool is_plausible(const Block& block) const;
    Target* target_;        // borrowed
    const Module* module_;  // borrowed: the library
    heap_tables::Head head_;
};

// Which block an address that lies in none is near to: behind its end, or before its beginning.
struct NearBlock {
    heap_tables::Block block{};
    enum class Side { inside, behind, before } side = Side::inside;
    std::uint64_t distance = 0;  // bytes: from its beginning, from its end, up to its beginning
};
// `blocks` by address. Nothing where none is within so many bytes.
std::optional<NearBlock> near_block(std::span<const heap_tables::Block> blocks, RunAddress address,
                                    std::uint64_t reach);

}  // namespace lantern
