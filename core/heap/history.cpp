#include "core/heap/history.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>

#include "core/heap/margins.h"
#include "core/machine/timestamp.h"
#include "core/support/error.h"

namespace lantern {

using heap_tables::Head;
using heap_tables::State;

std::optional<HeapHistory> HeapHistory::in(Target& target) {
    for (const Module& module : target.modules()) {
        if (!module.is_heap_library()) continue;
        const ElfSymbol* symbol = module.symbols().symbol_table().named(heap_tables::kHeadSymbol);
        if (!symbol) return std::nullopt;
        Head head{};
        if (target.read_available(module.to_run(symbol->address),
                                  std::as_writable_bytes(std::span(&head, 1))) != sizeof head ||
            head.mark == 0)
            return std::nullopt;
        // The library notes the time now and then; of a process that lives it is known now.
        if (!target.is_kept()) {
            head.seen_ticks = timestamp();
            head.seen_ns = static_cast<std::uint64_t>(
                std::chrono::steady_clock::now().time_since_epoch() / std::chrono::nanoseconds(1));
        }
        return of(target, module, head);
    }
    return std::nullopt;
}

HeapHistory HeapHistory::of(Target& target, const Module& library, const Head& head) {
    bool is_ours = head.mark == heap_tables::kMark && head.size_of_head == sizeof head &&
                   head.size_of_block == sizeof(Block);
    bool is_whole = head.area < head.area_end && head.blocks_used < (1u << 28) &&
                    head.stacks_used < (1u << 30) &&
                    head.pictures_used <= heap_tables::kMostPictures;
    if (!is_ours || !is_whole)
        throw RequestError(
            "what the library in front of the allocator has written down cannot be read: it is of "
            "another build, or the program has written over it");
    return HeapHistory(target, library, head);
}

bool HeapHistory::is_plausible(const Block& block) const {
    return block.address >= head_.area && block.address < head_.area_end &&
           block.size <= head_.area_end - block.address &&
           block.check == heap_tables::check_of(block) && block.state <= State::dying;
}

HeapHistory::Blocks HeapHistory::blocks(const std::function<void(double done)>& progress) const {
    constexpr std::size_t kAtOnce = 1 << 16;
    Blocks found;
    std::vector<Block> piece(kAtOnce);
    for (std::uint64_t first = 1; first < head_.blocks_used; first += kAtOnce) {
        std::size_t count = std::min<std::uint64_t>(kAtOnce, head_.blocks_used - first);
        auto bytes = std::as_writable_bytes(std::span(piece).first(count));
        std::size_t got =
            target_->read_bulk(RunAddress(head_.blocks + first * sizeof(Block)), bytes);
        for (std::size_t i = 0; i < got / sizeof(Block); ++i) {
            if (piece[i].state == State::empty) continue;
            if (is_plausible(piece[i]))
                found.all.push_back(piece[i]);
            else
                ++found.damaged;
        }
        if (got < bytes.size()) break;
        if (progress) progress(static_cast<double>(first) / static_cast<double>(head_.blocks_used));
    }
    std::ranges::sort(found.all, {}, &Block::address);
    return found;
}

std::optional<heap_tables::Block> HeapHistory::record(std::uint32_t number) const {
    Block block{};
    if (number == 0 || number >= head_.blocks_used) return std::nullopt;
    if (target_->read_available(RunAddress(head_.blocks + number * sizeof block),
                                std::as_writable_bytes(std::span(&block, 1))) != sizeof block ||
        !is_plausible(block))
        return std::nullopt;
    return block;
}

std::vector<RunAddress> HeapHistory::calls(std::uint32_t number) const {
    heap_tables::Stack stack{};
    // The head tells how many there were a moment ago; one that is new is checked by itself.
    if (number == 0 || number >= (1u << 30)) return {};
    RunAddress at(head_.stacks + number);
    if (target_->read_available(at, std::as_writable_bytes(std::span(&stack, 1))) != sizeof stack ||
        stack.depth == 0 || stack.depth > heap_tables::kMostFrames)
        return {};
    std::vector<std::uint64_t> words(stack.depth);
    auto bytes = std::as_writable_bytes(std::span(words));
    if (target_->read_available(at + sizeof stack, bytes) != bytes.size()) return {};
    std::vector<RunAddress> calls;
    for (std::uint64_t word : words) calls.emplace_back(word);
    return calls;
}

double HeapHistory::seconds(std::uint64_t ticks) const {
    if (ticks <= head_.start_ticks || head_.seen_ticks <= head_.start_ticks) return 0;
    double a_tick = static_cast<double>(head_.seen_ns - head_.start_ns) /
                    static_cast<double>(head_.seen_ticks - head_.start_ticks);
    return static_cast<double>(ticks - head_.start_ticks) * a_tick / 1e9;
}

std::uint64_t HeapHistory::births() const {
    constexpr std::uint64_t kMostThreads = 65536, kFarApart = 1 << 20;
    std::uint64_t births = 0;
    if (head_.counts_apart > kFarApart) return 0;
    for (std::uint64_t i = 0; i < std::min(head_.counts_used, kMostThreads); ++i) {
        heap_tables::Counts counts{};
        RunAddress at(head_.counts + i * head_.counts_apart);
        if (target_->read_available(at, std::as_writable_bytes(std::span(&counts, 1))) ==
            sizeof counts)
            births += counts.births;
    }
    return births;
}

std::vector<heap_tables::Picture> HeapHistory::pictures() const {
    std::vector<heap_tables::Picture> pictures(head_.pictures_used);
    auto bytes = std::as_writable_bytes(std::span(pictures));
    if (target_->read_available(RunAddress(head_.pictures), bytes) != bytes.size()) return {};
    return pictures;
}

Heap HeapHistory::heap(const std::function<void(double done)>& progress) const {
    Heap heap;
    heap.library = "the library that elm-lantern puts in front";
    Blocks found = blocks(progress);
    HeapArena arena;
    arena.number = 1;
    arena.address = RunAddress(head_.area);
    for (const Block& block : found.all) {
        auto state =
            block.state == State::kept ? HeapBlock::State::cached : HeapBlock::State::in_use;
        heap.blocks.emplace_back(RunAddress(block.address), block.size, 1, state);
    }
    // Blocks lie in several parts of the area, far from each other.
    constexpr std::uint64_t kFar = 64 << 10;
    for (const Block& block : found.all) {
        RunAddress begin(block.address), end(block.address + block.size);
        bool is_near = !arena.pieces.empty() && begin - arena.pieces.back().high < kFar;
        if (is_near)
            arena.pieces.back().high = end;
        else
            arena.pieces.push_back({begin, end});
    }
    heap.arenas.push_back(arena);
    heap.own.push_back({RunAddress(head_.area), RunAddress(head_.area_end)});
    for (const auto& range : head_.own)
        if (range.begin < range.end)
            heap.own.push_back({RunAddress(range.begin), RunAddress(range.end)});
    for (const Segment& segment : module_->symbols().elf().segments())
        heap.own.push_back(
            {module_->to_run(segment.range.low), module_->to_run(segment.range.high)});
    if (found.damaged)
        heap.damage.push_back({HeapDamage::Kind::records,
                               RunAddress(head_.blocks),
                               0,
                               fmt::format("{} of the library's own records of blocks were written "
                                           "over: the program has written where it has no block",
                                           found.damaged),
                               {}});
    find_written_margins(*target_, found.all, heap);
    return heap;
}

std::optional<NearBlock> near_block(std::span<const heap_tables::Block> blocks, RunAddress address,
                                    std::uint64_t reach) {
    auto behind = std::ranges::upper_bound(blocks, address.value, {}, &heap_tables::Block::address);
    const heap_tables::Block* before = behind == blocks.begin() ? nullptr : &*std::prev(behind);
    const heap_tables::Block* next = behind == blocks.end() ? nullptr : &*behind;
    if (before && address.value < before->address + std::max<std::uint64_t>(before->size, 1) &&
        before->size)
        return NearBlock{*before, NearBlock::Side::inside, address.value - before->address};
    std::uint64_t from_end = before ? address.value - before->address - before->size : ~0ull,
                  to_next = next ? next->address - address.value : ~0ull;
    if (from_end <= to_next && from_end < reach)
        return NearBlock{*before, NearBlock::Side::behind, from_end};
    if (to_next < reach) return NearBlock{*next, NearBlock::Side::before, to_next};
    return std::nullopt;
}

}  // namespace lantern
