#include "core/heap/reachability.h"

#include <algorithm>
#include <cstring>
#include <unordered_map>

#include "core/heap/block_index.h"
#include "core/machine/calling_convention.h"
#include "core/runtime/allocator_layout.h"

namespace lantern {
namespace {

constexpr std::uint64_t kWord = allocator::kWord;
constexpr std::size_t kProgressEvery = 100'000;  // blocks

// Memory of the process in large pieces that are kept: blocks are visited in any order.
class KeptMemoryPieces {
  public:
    explicit KeptMemoryPieces(Target& target) : target_(target) {}

    // Calls `visit` with the words of a range, piece by piece.
    template <class Visit>
    void for_each_word(std::uint64_t low, std::uint64_t high, Visit visit) {
        low = (low + kWord - 1) & ~(kWord - 1);
        while (low + kWord <= high) {
            const std::vector<std::byte>& piece = piece_of(low / kPiece);
            std::uint64_t offset = low % kPiece;
            std::uint64_t end = std::min<std::uint64_t>(piece.size(), offset + (high - low));
            for (std::uint64_t at = offset; at + kWord <= end; at += kWord) {
                std::uint64_t word;
                std::memcpy(&word, piece.data() + at, sizeof word);
                visit(low - offset + at, word);
            }
            low = low - offset + kPiece;
        }
    }

  private:
    static constexpr std::uint64_t kPiece = 256 << 10;
    static constexpr std::size_t kMostPieces = 2048;  // half a gigabyte

    const std::vector<std::byte>& piece_of(std::uint64_t number) {
        auto found = pieces_.find(number);
        if (found != pieces_.end()) return found->second;
        if (pieces_.size() >= kMostPieces) pieces_.clear();
        std::vector<std::byte>& piece = pieces_[number];
        piece.resize(kPiece);
        read(RunAddress(number * kPiece), piece);
        return piece;
    }

    // A piece may hold the end of one mapping and the beginning of another; what is not mapped is
    // zero, and no pointer.
    void read(RunAddress at, std::vector<std::byte>& piece) {
        std::size_t got = target_.read_bulk(at, piece);
        while (got < piece.size()) {
            std::size_t next = (got / kPage + 1) * kPage;
            if (next >= piece.size()) return;
            got = next + target_.read_bulk(at + next, std::span(piece).subspan(next));
            if (got == next) got = next;
        }
    }
    static constexpr std::size_t kPage = 4096;

    Target& target_;
    std::unordered_map<std::uint64_t, std::vector<std::byte>> pieces_;
};

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
    std::vector<RunRange> without;
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

class Marking {
  public:
    Marking(Target& target, const Heap& heap, Reachability& reach)
        : target_(target), heap_(heap), reach_(reach), index_(heap), memory_(target) {
        reach_.kinds_.assign(heap.blocks.size(), Reachability::Kind::lost);
        reach_.from_.assign(heap.blocks.size(), Reachability::kNone);
        reach_.pointers_.assign(heap.blocks.size(), 0);
    }

    void run(const std::function<void(double)>& progress) {
        for (ThreadId thread : target_.threads()) {
            const Registers& registers = target_.registers(thread);
            for (unsigned number = 0; number <= 16; ++number)
                if (auto value = registers.get(number)) meet(*value, 0, Reachability::kNone);
            // Compilers move two pointers at once through a vector.
            for (const auto& vector : target_.vector_registers(thread).vectors)
                for (std::size_t half = 0; half < vector.size(); half += kWord) {
                    std::uint64_t word;
                    std::memcpy(&word, vector.data() + half, sizeof word);
                    meet(word, 0, Reachability::kNone);
                }
        }
        for (const RunRange& root : roots_of(target_, heap_))
            scan(root.low.value, root.high.value, Reachability::kNone);
        // In the order in which they were met: ways are short.
        for (std::size_t done = 0; done < open_.size();) {
            std::uint32_t block = open_[done];
            scan(heap_.blocks[block].address, heap_.blocks[block].end(), block);
            if (++done % kProgressEvery == 0 && progress)
                progress(static_cast<double>(done) / static_cast<double>(heap_.blocks.size()));
        }
    }

  private:
    void scan(std::uint64_t low, std::uint64_t high, std::uint32_t from) {
        memory_.for_each_word(low, high,
                              [&](std::uint64_t at, std::uint64_t word) { meet(word, at, from); });
    }

    void meet(std::uint64_t word, std::uint64_t at, std::uint32_t from) {
        std::uint32_t block = index_.holding(word);
        if (block == BlockIndex::kNone || !heap_.blocks[block].is_in_use()) return;
        using Kind = Reachability::Kind;
        Kind kind = heap_.blocks[block].address == word ? Kind::reached : Kind::from_inside;
        Kind& known = reach_.kinds_[block];
        if (known >= kind) return;
        bool is_new = known == Kind::lost;
        known = kind;
        if (!is_new) return;  // the way by which it was found first leads to no circle
        open_.push_back(block);
        reach_.from_[block] = from;
        reach_.pointers_[block] = at;
    }

    Target& target_;
    const Heap& heap_;
    Reachability& reach_;
    BlockIndex index_;
    KeptMemoryPieces memory_;
    std::vector<std::uint32_t> open_;
};

Reachability::Reachability(Target& target, const Heap& heap,
                           const std::function<void(double)>& progress) {
    Marking(target, heap, *this).run(progress);
}

std::optional<RunAddress> Reachability::pointer_to(std::size_t block) const {
    return pointers_[block] ? std::optional(RunAddress(pointers_[block])) : std::nullopt;
}

// Each lost block belongs to the first that leads to it; those that no other lost one leads to come
// first, and what is left then are circles.
std::vector<LostGroup> lost_groups(Target& target, const Heap& heap, const Reachability& reach,
                                   const std::function<void(double done)>& progress) {
    BlockIndex index(heap);
    KeptMemoryPieces memory(target);
    std::vector<std::uint32_t> lost;
    std::vector<bool> is_lost(heap.blocks.size()), is_pointed_at(heap.blocks.size()),
        is_taken(heap.blocks.size());
    for (std::uint32_t i = 0; i < heap.blocks.size(); ++i) {
        is_lost[i] = heap.blocks[i].is_in_use() && reach.of(i) == Reachability::Kind::lost;
        if (is_lost[i]) lost.push_back(i);
    }
    auto for_each_target = [&](std::uint32_t block, auto visit) {
        memory.for_each_word(heap.blocks[block].address, heap.blocks[block].end(),
                             [&](std::uint64_t, std::uint64_t word) {
                                 std::uint32_t other = index.holding(word);
                                 if (other != BlockIndex::kNone && other != block && is_lost[other])
                                     visit(other);
                             });
    };
    for (std::size_t i = 0; i < lost.size(); ++i) {
        for_each_target(lost[i], [&](std::uint32_t other) { is_pointed_at[other] = true; });
        if (progress && i % kProgressEvery == 0)
            progress(static_cast<double>(i) / static_cast<double>(lost.size()));
    }
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
            for_each_target(block, [&](std::uint32_t other) {
                if (is_taken[other]) return;
                is_taken[other] = true;
                open.push_back(other);
            });
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
