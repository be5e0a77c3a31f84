#include "core/heap/reachability.h"

#include <algorithm>
#include <cstring>

#include "core/heap/heap_memory.h"
#include "core/machine/calling_convention.h"
#include "core/runtime/allocator_layout.h"

namespace lantern {
namespace {

constexpr std::size_t kBlocksPerProgress = 100'000;  // blocks

// What can be written, and what the loader has closed when it had filled it in.
bool may_hold_pointers(Target& target, const MemoryRegion& region) {
    if (region.permissions.starts_with("rw")) return true;
    if (!region.permissions.starts_with("r--")) return false;
    for (const Module& module : target.modules())
        for (const Segment& segment : module.symbols().elf().segments())
            if (segment.writable && module.to_run(segment.range.low) < region.end &&
                region.begin < module.to_run(segment.range.high))
                return true;
    return false;
}

// Where pointers of the program lie outside of the heap: writable memory that is neither the heap's
// nor below a stack's top.
std::vector<RunRange> roots_of(Target& target, const Heap& heap) {
    std::vector<RunRange> without = heap.own;
    for (const HeapArena& arena : heap.arenas) {
        without.push_back({arena.address, arena.address + allocator::kArenaSize});
        without.insert(without.end(), arena.pieces.begin(), arena.pieces.end());
    }
    for (const HeapBlock& block : heap.blocks)
        if (block.arena() == 0)
            without.push_back({RunAddress(block.address), RunAddress(block.end())});
    for (ThreadId thread : target.threads()) {
        RunAddress top = target.registers(thread).stack_pointer() - kRedZone;
        if (const MemoryRegion* region = target.region_at(top))
            without.push_back({region->begin, top});
    }
    std::sort(without.begin(), without.end(),
              [](const RunRange& a, const RunRange& b) { return a.low < b.low; });
    std::vector<RunRange> roots;
    for (const MemoryRegion& region : target.regions()) {
        if (!may_hold_pointers(target, region)) continue;
        RunAddress at = region.begin;
        for (const RunRange& hole : without) {
            if (hole.high <= at || hole.low >= region.end) continue;
            if (at < hole.low) roots.push_back({at, hole.low});
            at = std::max(at, hole.high);
        }
        if (at < region.end) roots.push_back({at, region.end});
    }
    return roots;
}

}  // namespace

void for_each_root_word(Target& target, const Heap& heap,
                        const std::function<void(std::uint64_t at, std::uint64_t word)>& visit) {
    for (ThreadId thread : target.threads()) {
        const Registers& registers = target.registers(thread);
        for (unsigned number = 0; number <= 16; ++number)
            if (auto value = registers.get(number)) visit(0, *value);
        // Compilers move two pointers at once through a vector.
        for (const auto& vector : target.vector_registers(thread).vectors)
            for (std::size_t half = 0; half < vector.size(); half += allocator::kWord) {
                std::uint64_t word;
                std::memcpy(&word, vector.data() + half, sizeof word);
                visit(0, word);
            }
    }
    HeapMemory memory(target);
    for (const RunRange& root : roots_of(target, heap)) {
        auto to_visitor = [&](std::uint64_t at, std::uint64_t word) { visit(at, word); };
        memory.for_each_word(root.low.value, root.high.value, to_visitor);
    }
}

Reachability::Reachability(Target& target, const Heap& heap,
                           const std::function<void(double)>& progress)
    : target_(target),
      heap_(heap),
      index_(heap),
      graph_(target, heap, index_,
             [&](double done) {
                 if (progress) progress(done / 2);
             }),
      kinds_(heap.blocks.size(), Kind::lost),
      from_(heap.blocks.size(), kNone) {
    look_at_roots();
    follow_links([&](double done) {
        if (progress) progress(0.5 + done / 2);
    });
}

void Reachability::look_at_roots() {
    for_each_root_word(target_, heap_,
                       [this](std::uint64_t at, std::uint64_t word) { meet(word, at); });
}

// In the order in which they were met: ways are short.
void Reachability::follow_links(const std::function<void(double)>& progress) {
    for (std::size_t done = 0; done < open_.size();) {
        std::uint32_t block = open_[done];
        for (BlockLink link : graph_.links(block)) meet(link, block);
        if (++done % kBlocksPerProgress == 0)
            progress(static_cast<double>(done) / static_cast<double>(heap_.blocks.size()));
    }
}

void Reachability::meet(std::uint64_t word, std::uint64_t at) {
    std::uint32_t block = index_.holding(word);
    if (block == BlockIndex::kNone || !heap_.blocks[block].is_in_use()) return;
    if (kinds_[block] == Kind::lost) root_pointers_[block] = at;
    meet(BlockLink(block, heap_.blocks[block].address == word), kNone);
}

void Reachability::meet(BlockLink link, std::uint32_t from) {
    Kind kind = link.is_to_beginning() ? Kind::reached : Kind::from_inside;
    Kind& known = kinds_[link.block()];
    if (known >= kind) return;
    bool is_new = known == Kind::lost;
    known = kind;
    if (!is_new) return;  // the way by which it was found first leads to no circle
    open_.push_back(link.block());
    from_[link.block()] = from;
}

std::optional<RunAddress> Reachability::pointer_to(std::size_t block) const {
    std::uint32_t number = static_cast<std::uint32_t>(block), from = from_[block];
    std::uint64_t pointer = 0;
    if (from == kNone) {
        auto root = root_pointers_.find(number);
        if (root != root_pointers_.end()) pointer = root->second;
    } else {
        HeapMemory(target_).for_each_word(heap_.blocks[from].address, heap_.blocks[from].end(),
                                          [&](std::uint64_t at, std::uint64_t word) {
                                              if (!pointer && index_.holding(word) == number)
                                                  pointer = at;
                                          });
    }
    return pointer ? std::optional(RunAddress(pointer)) : std::nullopt;
}

// Each lost block belongs to the first that leads to it; those that no other lost one leads to come
// first, and what is left then are circles.
std::vector<LostGroup> lost_groups(const Heap& heap, const Reachability& reach) {
    std::vector<std::uint32_t> lost;
    std::vector<bool> is_lost(heap.blocks.size()), is_pointed_at(heap.blocks.size()),
        is_taken(heap.blocks.size());
    for (std::uint32_t i = 0; i < heap.blocks.size(); ++i) {
        is_lost[i] = heap.blocks[i].is_in_use() && reach.of(i) == Reachability::Kind::lost;
        if (is_lost[i]) lost.push_back(i);
    }
    for (std::uint32_t block : lost)
        for (BlockLink link : reach.graph().links(block))
            if (link.block() != block) is_pointed_at[link.block()] = true;
    std::vector<LostGroup> groups;
    auto take = [&](std::uint32_t first) {
        if (is_taken[first]) return;
        LostGroup group{first, 0, 0};
        std::vector<std::uint32_t> open{first};
        is_taken[first] = true;
        while (!open.empty()) {
            std::uint32_t block = open.back();
            open.pop_back();
            ++group.blocks;
            group.bytes += heap.blocks[block].size();
            for (BlockLink link : reach.graph().links(block)) {
                if (!is_lost[link.block()] || is_taken[link.block()]) continue;
                is_taken[link.block()] = true;
                open.push_back(link.block());
            }
        }
        groups.push_back(group);
    };
    for (std::uint32_t block : lost)
        if (!is_pointed_at[block]) take(block);
    for (std::uint32_t block : lost) take(block);
    std::stable_sort(groups.begin(), groups.end(),
                     [](const LostGroup& a, const LostGroup& b) { return a.bytes > b.bytes; });
    return groups;
}

}  // namespace lantern
