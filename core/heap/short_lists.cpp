#include "core/heap/short_lists.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "core/heap/heap_walk.h"
#include "core/runtime/allocator_layout.h"
#include "core/support/error.h"

namespace lantern {
namespace {

using namespace allocator;

std::optional<std::uint64_t> word_at(Target& target, std::uint64_t at) {
    return lantern::word_at(target, RunAddress(at));
}

HeapBlock* block_beginning(Heap& heap, std::uint64_t address) {
    auto found = std::lower_bound(
        heap.blocks.begin(), heap.blocks.end(), address,
        [](const HeapBlock& block, std::uint64_t at) { return block.address < at; });
    return found != heap.blocks.end() && found->address == address ? &*found : nullptr;
}

void tell(Heap& heap, HeapDamage::Kind kind, std::uint64_t at, std::uint64_t found,
          std::string what) {
    HeapDamage damage;
    damage.kind = kind;
    damage.at = RunAddress(at);
    damage.found = found;
    damage.what = std::move(what);
    heap.damage.push_back(std::move(damage));
}

// A list of blocks through their first words. Its links are from a chunk's address or from a
// block's: `to_block` is added to get the latter.
struct ShortList {
    std::uint64_t head = 0;  // where its first link stands
    std::uint64_t first = 0;
    std::uint64_t to_block = 0;
    std::string name;
};

struct Followed {
    std::vector<HeapBlock*> blocks;
    std::optional<HeapDamage> damage;
};

Followed follow(Target& target, Heap& heap, const ShortList& list) {
    constexpr std::size_t kLongest = 1 << 20;
    Followed followed;
    auto broken = [&](HeapDamage::Kind kind, std::uint64_t at, std::uint64_t found,
                      std::string what) {
        followed.damage.emplace();
        followed.damage->kind = kind;
        followed.damage->at = RunAddress(at);
        followed.damage->found = found;
        followed.damage->what = std::move(what);
    };
    std::uint64_t at = list.head;
    for (std::uint64_t link = list.first; link;) {
        HeapBlock* block = block_beginning(heap, link + list.to_block);
        if (!block) {
            std::uint64_t address = link + list.to_block;
            const HeapBlock* around = heap.block_at(RunAddress(address));
            bool is_inside = around && address % kAlignment == 0 &&
                             address + kLeastChunk - kHeader <= around->end();
            broken(is_inside ? HeapDamage::Kind::overlap : HeapDamage::Kind::short_list, at, link,
                   is_inside
                       ? fmt::format("{} leads to the block at {:#x}, which lies inside of "
                                     "the block of {} bytes at {:#x}: one of their sizes is "
                                     "wrong",
                                     list.name, address, around->size(), around->address)
                       : fmt::format("{} leads to {:#x}, where no block begins", list.name, link));
            if (is_inside) followed.damage->before = *around;
            return followed;
        }
        bool is_met_again = std::find(followed.blocks.begin(), followed.blocks.end(), block) !=
                            followed.blocks.end();
        if (is_met_again || followed.blocks.size() >= kLongest) {
            broken(HeapDamage::Kind::circle, at, link,
                   fmt::format("{} comes back to the block at {:#x}: it was freed twice", list.name,
                               block->address));
            return followed;
        }
        followed.blocks.push_back(block);
        at = block->address;
        auto next = word_at(target, at);
        link = next ? unmixed(at, *next) : 0;
    }
    return followed;
}

void mark_cached(Heap& heap, Followed followed) {
    for (HeapBlock* block : followed.blocks) block->set_state(HeapBlock::State::cached);
    if (followed.damage) heap.damage.push_back(std::move(*followed.damage));
}

void read_fast_lists(Target& target, Heap& heap, const HeapArena& arena) {
    for (unsigned i = 0; i < kFastLists; ++i) {
        std::uint64_t head = arena.address.value + kFastListsAt + i * kWord;
        ShortList list{head, word_at(target, head).value_or(0), kHeader,
                       fmt::format("the short list of arena {} for {} bytes", arena.number,
                                   usable(kLeastChunk + i * kAlignment))};
        mark_cached(heap, follow(target, heap, list));
    }
}

// The lists of a thread, if the block is where one keeps them.
struct ThreadLists {
    std::array<std::uint16_t, kThreadLists> counts;
    std::array<std::uint64_t, kThreadLists> first;
};

std::optional<ThreadLists> thread_lists_in(Target& target, const HeapBlock& block) {
    if (block.size() + kWord != ((kThreadListsSize + kWord + kAlignment - 1) & ~(kAlignment - 1)))
        return std::nullopt;
    ThreadLists lists;
    try {
        lists.counts = target.read<decltype(lists.counts)>(RunAddress(block.address));
        lists.first =
            target.read<decltype(lists.first)>(RunAddress(block.address + kThreadListsAt));
    } catch (const Error&) {
        return std::nullopt;
    }
    for (unsigned i = 0; i < kThreadLists; ++i)
        if ((lists.counts[i] == 0) != (lists.first[i] == 0)) return std::nullopt;
    return lists;
}

// Whether all its lists lead to blocks of their sizes: a block of the program's own that happens to
// have the size does not.
bool leads_to_blocks(Heap& heap, const ThreadLists& lists) {
    for (unsigned i = 0; i < kThreadLists; ++i) {
        if (!lists.first[i]) continue;
        const HeapBlock* block = block_beginning(heap, lists.first[i]);
        if (!block || block->size() != usable(kLeastChunk + i * kAlignment)) return false;
    }
    return true;
}

void read_thread_lists(Target& target, Heap& heap, const HeapBlock& holder,
                       const ThreadLists& lists) {
    for (unsigned i = 0; i < kThreadLists; ++i) {
        std::uint64_t head = holder.address + kThreadListsAt + i * kWord;
        std::string name =
            fmt::format("a thread's short list for {} bytes", usable(kLeastChunk + i * kAlignment));
        Followed followed = follow(target, heap, {head, lists.first[i], 0, name});
        if (!followed.damage && followed.blocks.size() != lists.counts[i])
            tell(heap, HeapDamage::Kind::short_list, head, followed.blocks.size(),
                 fmt::format("{} has {} blocks and counts {}", name, followed.blocks.size(),
                             lists.counts[i]));
        mark_cached(heap, std::move(followed));
    }
}

void check_list(Target& target, Heap& heap, const HeapArena& arena, unsigned number) {
    std::uint64_t head = arena.address.value + kListsAt + number * 2 * kWord - kHeader;
    std::uint64_t before = head;
    auto link = word_at(target, head + kHeader);
    std::string name = fmt::format("list {} of arena {}", number + 1, arena.number);
    for (std::size_t steps = 0; link && *link != head; ++steps) {
        HeapBlock* block = block_beginning(heap, *link + kHeader);
        if (!block)
            return tell(heap, HeapDamage::Kind::list, before + kHeader, *link,
                        fmt::format("{} leads to {:#x}, where no block begins", name, *link));
        auto back = word_at(target, *link + kHeader + kWord);
        if (back != before || steps > heap.blocks.size())
            return tell(
                heap, HeapDamage::Kind::list, *link + kHeader + kWord, back.value_or(0),
                fmt::format("{} does not come back: the block at {:#x} names {:#x} before it "
                            "instead of {:#x}",
                            name, block->address, back.value_or(0), before));
        before = *link;
        link = word_at(target, *link + kHeader);
    }
}

}  // namespace

void read_short_lists(Target& target, Heap& heap, const std::vector<std::uint64_t>& thread_words) {
    for (const HeapArena& arena : heap.arenas)
        if (arena.top.value) read_fast_lists(target, heap, arena);
    for (std::size_t i = 0; i < heap.blocks.size(); ++i) {
        auto lists = thread_lists_in(target, heap.blocks[i]);
        if (!lists) continue;
        // A thread points to its own; one that has ended does not any more, and has given it back.
        bool is_a_threads = std::ranges::binary_search(thread_words, heap.blocks[i].address);
        if (!is_a_threads && !leads_to_blocks(heap, *lists)) continue;
        bool is_empty = std::all_of(lists->first.begin(), lists->first.end(),
                                    [](std::uint64_t link) { return link == 0; });
        bool is_first_of_piece = i == 0;
        if (is_empty && !is_first_of_piece && !is_a_threads) continue;
        heap.blocks[i].set_state(HeapBlock::State::of_library);
        read_thread_lists(target, heap, heap.blocks[i], *lists);
    }
}

void check_lists(Target& target, Heap& heap) {
    for (const HeapArena& arena : heap.arenas)
        for (unsigned list = 0; arena.top.value && list < kLists; ++list)
            check_list(target, heap, arena, list);
}

}  // namespace lantern
