#include "core/heap/pointer_graph.h"

#include "core/heap/heap_memory.h"
#include "core/support/each_in_parallel.h"

namespace lantern {

constexpr std::size_t kPartsWorthThreads = 64;

PointerGraph::PointerGraph(Target& target, const Heap& heap, const BlockIndex& index,
                           const std::function<void(double done)>& progress)
    : parts_((heap.blocks.size() + kPartBlocks - 1) / kPartBlocks) {
    each_in_parallel(parts_.size(), parts_.size() >= kPartsWorthThreads, progress, [&] {
        return [&, memory = HeapMemory(target),
                links = std::vector<BlockLink>()](std::size_t number) mutable {
            std::span blocks = std::span(heap.blocks).subspan(number * kPartBlocks);
            blocks = blocks.first(std::min<std::size_t>(blocks.size(), kPartBlocks));
            memory.read_up_to(blocks.back().end());
            Part& part = parts_[number];
            part.ends.reserve(blocks.size());
            links.clear();
            for (const HeapBlock& block : blocks) {
                std::size_t begin = links.size();
                if (block.is_in_use())
                    memory.for_each_word(
                        block.address, block.end(), [&](std::uint64_t, std::uint64_t word) {
                            std::uint32_t to = index.holding(word);
                            if (to == BlockIndex::kNone || !heap.blocks[to].is_in_use()) return;
                            BlockLink link(to, heap.blocks[to].address == word);
                            bool is_new = links.size() == begin || links.back() != link;
                            if (is_new) links.push_back(link);
                        });
                part.ends.push_back(static_cast<std::uint32_t>(links.size()));
            }
            part.links.assign(links.begin(), links.end());
        };
    });
}

}  // namespace lantern
