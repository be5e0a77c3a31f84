#include "core/heap/heap.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/heap/arenas.h"
#include "core/heap/heap_walk.h"
#include "core/heap/history.h"
#include "core/heap/requests.h"
#include "core/heap/short_lists.h"
#include "core/support/error.h"

namespace lantern {

bool Heap::is_being_changed() const {
    return !in_request.empty() || std::ranges::any_of(arenas, &HeapArena::is_locked);
}

const HeapBlock* Heap::block_at(RunAddress address) const {
    auto behind = std::upper_bound(
        blocks.begin(), blocks.end(), address.value,
        [](std::uint64_t at, const HeapBlock& block) { return at < block.address; });
    if (behind == blocks.begin()) return nullptr;
    const HeapBlock& block = *std::prev(behind);
    return address.value <= block.end() ? &block : nullptr;
}

namespace {

// For mappings of their own, in a region without one.
constexpr std::uint64_t kPagesLookedAt = 4096, kPagesQuicklyLookedAt = 64;
constexpr std::size_t kRegionsQuicklyRead = 256;

Heap begun_heap(Target& target, AllocatorFound& found) {
    Heap heap;
    heap.library = std::move(found.library);
    heap.arenas = std::move(found.arenas);
    heap.in_request = threads_in_request(target, *found.module);
    return heap;
}

void walk_arenas(Target& target, Heap& heap,
                 const std::function<void(std::uint64_t bytes)>& progress) {
    HeapWords words(target);
    for (HeapArena& arena : heap.arenas)
        for (RunRange& piece : arena.pieces) walk_piece(words, arena, piece, heap, progress);
}

void sort_blocks(Heap& heap) {
    // Most often they are: one arena, and what the kernel maps lies above it.
    if (std::ranges::is_sorted(heap.blocks, {}, &HeapBlock::address)) return;
    std::ranges::sort(heap.blocks, {}, &HeapBlock::address);
}

}  // namespace

std::uint64_t bytes_of_arenas(const Heap& heap) {
    std::uint64_t whole = 0;
    for (const HeapArena& arena : heap.arenas)
        for (const RunRange& piece : arena.pieces) whole += piece.size();
    return whole;
}

Heap read_heap(Target& target, const std::function<void(double done)>& progress) {
    if (auto history = HeapHistory::in(target)) return history->heap(progress);
    AllocatorFound found = find_allocator(target);
    Heap heap = begun_heap(target, found);
    std::uint64_t whole = bytes_of_arenas(heap), done = 0;
    walk_arenas(target, heap, [&](std::uint64_t bytes) {
        done += bytes;
        if (progress) progress(static_cast<double>(done) / static_cast<double>(whole));
    });
    find_own_mappings(target, heap, kPagesLookedAt);
    sort_blocks(heap);
    read_short_lists(target, heap, found.thread_words);
    check_lists(target, heap);
    std::stable_sort(heap.damage.begin(), heap.damage.end(),
                     [](const HeapDamage& a, const HeapDamage& b) { return a.at < b.at; });
    return heap;
}

namespace {

std::optional<Heap> small_heap_that(Target& target, const std::function<bool(const Heap&)>& fits) {
    try {
        if (auto history = HeapHistory::in(target)) {
            if (history->head().blocks_used * sizeof(HeapHistory::Block) > kQuicklyRead)
                return std::nullopt;
            return history->heap();
        }
        AllocatorFound found = find_allocator(target);
        Heap heap = begun_heap(target, found);
        if (!fits(heap) || bytes_of_arenas(heap) > kQuicklyRead) return std::nullopt;
        walk_arenas(target, heap, {});
        if (target.regions().size() <= kRegionsQuicklyRead)
            find_own_mappings(target, heap, kPagesQuicklyLookedAt);
        sort_blocks(heap);
        read_short_lists(target, heap, found.thread_words);
        return heap;
    } catch (const Error&) {  // there is none, or of a kind that is not known
        return std::nullopt;
    }
}

}  // namespace

std::optional<Heap> read_small_heap(Target& target) {
    return small_heap_that(target, [](const Heap& heap) { return !heap.is_being_changed(); });
}

std::optional<Heap> read_heap_given_up(Target& target, ThreadId by) {
    auto heap = small_heap_that(target, [&](const Heap& begun) {
        return std::ranges::all_of(begun.in_request, [&](ThreadId each) { return each == by; });
    });
    if (heap) check_lists(target, *heap);
    return heap;
}

std::string block_note(const Heap& heap, RunAddress address) {
    const HeapBlock* block = heap.block_at(address);
    if (!block) return {};
    std::string kind = block->state() == HeapBlock::State::free     ? "free heap block"
                       : block->state() == HeapBlock::State::cached ? "freed heap block"
                       : block->state() == HeapBlock::State::of_library
                           ? "heap block of the library"
                           : "heap block";
    std::string text = fmt::format("{} of {} bytes", kind, block->size());
    std::uint64_t offset = address.value - block->address;
    if (offset == 0) return text;
    return offset == block->size() ? "one past the end of a " + text
                                   : fmt::format("byte {} of a {}", offset, text);
}

}  // namespace lantern
