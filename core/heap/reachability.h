// Which blocks of the heap can still be reached: every word of the program's memory that could be a
// pointer is taken for one.
//
//     registers, stacks,  ──> block ──> block      reached
//     globals, thread-locals      └──> ( ▒▒ )      only from inside: a pointer to its middle
//
//                             block ──> block      lost: nothing leads to the first of them
#pragma once

#include "core/heap/heap.h"

namespace lantern {

class Reachability {
  public:
    static constexpr std::uint32_t kNone = ~std::uint32_t{0};
    enum class Kind : std::uint8_t { lost, from_inside, reached };

    // Of each block, by its number in the heap. What is not in use is never reached.
    Kind of(std::size_t block) const { return kinds_[block]; }
    // Where the pointer lies by which it was found (run address; nothing: in a register), and the
    // block that this is in; kNone: a root.
    std::optional<RunAddress> pointer_to(std::size_t block) const;
    std::uint32_t reached_from(std::size_t block) const { return from_[block]; }

    // Throws what `progress` throws; it is told the share of the blocks that are done.
    Reachability(Target& target, const Heap& heap, const std::function<void(double)>& progress);

  private:
    friend class Marking;
    std::vector<Kind> kinds_;
    std::vector<std::uint32_t> from_;
    std::vector<std::uint64_t> pointers_;
};

// Blocks that are lost together: the first of them nobody points to, or it is in a circle.
struct LostGroup {
    std::size_t first = 0;     // number of the block in the heap
    std::uint64_t blocks = 0;  // the first and what only it leads to
    std::uint64_t bytes = 0;
};
// The largest first.
std::vector<LostGroup> lost_groups(Target& target, const Heap& heap, const Reachability& reach,
                                   const std::function<void(double done)>& progress = {});

}  // namespace lantern
