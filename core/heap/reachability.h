// Which blocks of the heap can still be reached: every word of the program's memory that could be a
// pointer is taken for one.
//
//     registers, stacks,  ──> block ──> block      reached
//     globals, thread-locals      └──> ( ▒▒ )      only from inside: a pointer to its middle
//
//                             block ──> block      lost: nothing leads to the first of them
#pragma once

#include <unordered_map>

#include "core/heap/pointer_graph.h"

namespace lantern {

// Each word outside of the heap that could be a pointer of the program, with where it lies (run
// address; 0: in a register).
void for_each_root_word(Target& target, const Heap& heap,
                        const std::function<void(std::uint64_t at, std::uint64_t word)>& visit);

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

    const PointerGraph& graph() const { return graph_; }

    // Target and heap are borrowed. Throws what `progress` throws; it is told the share of the work
    // that is done.
    Reachability(Target& target, const Heap& heap, const std::function<void(double)>& progress);

  private:
    void look_at_roots();
    void meet(std::uint64_t word, std::uint64_t at);
    void meet(BlockLink link, std::uint32_t from);
    void follow_links(const std::function<void(double)>& progress);

    Target& target_;
    const Heap& heap_;
    BlockIndex index_;
    PointerGraph graph_;
    std::vector<Kind> kinds_;
    std::vector<std::uint32_t> from_, open_;
    std::unordered_map<std::uint32_t, std::uint64_t> root_pointers_;  // 0: in a register
};

// Blocks that are lost together: the first of them nobody points to, or it is in a circle.
struct LostGroup {
    std::size_t first = 0;     // number of the block in the heap
    std::uint64_t blocks = 0;  // the first and what only it leads to
    std::uint64_t bytes = 0;
};
// The largest first.
std::vector<LostGroup> lost_groups(const Heap& heap, const Reachability& reach);

}  // namespace lantern
