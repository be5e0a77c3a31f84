#include "core/heap/heap_walk.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <utility>

#include "core/machine/page.h"
#include "core/runtime/allocator_layout.h"

namespace lantern {
namespace {

using namespace allocator;

constexpr std::uint64_t kWindow = 1 << 20;
constexpr std::uint64_t kBytesPerProgress = 16 << 20;
constexpr std::uint64_t kSearched = 16
                                    << 20;  // bytes behind a damaged header, for the next sound one
constexpr unsigned kSoundInARow = 6;        // chunks that must follow each other to be believed

// One piece of memory of an arena.
class Walk {
  public:
    Walk(HeapWords& words, const HeapArena& arena, RunRange& piece, Heap& heap)
        : words_(words), arena_(arena), piece_(piece), heap_(heap) {}

    void run(const std::function<void(std::uint64_t bytes)>& progress) {
        std::uint64_t told = piece_.low.value;
        piece_.low = beginning();
        for (RunAddress at = piece_.low; at < piece_.high;) {
            if (at == arena_.top) return end_at(at);
            auto word = words_.at(at + kWord);
            if (!word) return;
            if (is_fence(at, *word)) return judge_block_before(at, *word);
            if (!is_sound(at, *word)) {
                if (auto next = sound_inside_last(at)) {
                    take_last_back();
                    at = *next;
                    continue;
                }
                tell_header(at, *word);
                auto next = next_sound(at);
                if (!next) return;
                has_block_ = false;
                at = *next;
                continue;
            }
            judge_block_before(at, *word);
            heap_.blocks.emplace_back(at + kHeader, usable(size_of(*word)), arena_.number,
                                      HeapBlock::State::in_use);
            has_two_blocks_ = has_block_;
            has_block_ = true;
            at = at + size_of(*word);
            if (progress && at.value - told >= kBytesPerProgress) {
                progress(at.value - told);
                told = at.value;
            }
        }
    }

  private:
    // A program that has the library in it takes memory before the heap is there: it lies in front.
    // The first block is the one in which the first thread keeps its lists.
    RunAddress beginning() {
        constexpr std::uint64_t kMostInFront = 64 << 10;
        constexpr std::uint64_t kListsChunk = (kThreadListsSize + kWord + 15) & ~std::uint64_t{15};
        if (!arena_.is_first || leads_on(piece_.low)) return piece_.low;
        RunAddress last = std::min(piece_.high, piece_.low + kMostInFront);
        for (RunAddress at = piece_.low; at < last; at = at + kAlignment)
            if (words_.at(at + kWord) == (kListsChunk | kBeforeInUse) && leads_on(at)) return at;
        return piece_.low;
    }

    // What stands behind the last block of a piece that is full: a chunk of nothing but a header,
    // and another, or the end; the very last one has no size at all.
    bool is_fence(RunAddress at, std::uint64_t word) {
        if (at + kHeader == piece_.high && word == kBeforeInUse) return true;
        auto is_only_header = [](std::uint64_t each) { return size_of(each) == kHeader; };
        if (!is_only_header(word)) return false;
        return piece_.high - at <= kLeastChunk ||
               is_only_header(words_.at(at + kHeader + kWord).value_or(0));
    }

    // A chunk that is free does not say that it is of another arena.
    bool is_sound(RunAddress at, std::uint64_t word) const {
        std::uint64_t size = size_of(word);
        bool is_foreign = arena_.is_first && (word & kOtherArena);
        return size >= kLeastChunk && size % kAlignment == 0 && !is_foreign &&
               !(word & kOwnMapping) && size <= piece_.high - at;
    }

    std::optional<RunAddress> next_sound(RunAddress damaged) {
        RunAddress last = std::min(piece_.high, damaged + kSearched);
        for (RunAddress at = damaged + kAlignment; at < last; at = at + kAlignment)
            if (leads_on(at)) return at;
        return std::nullopt;
    }

    // A size that is wrong and could be one leads into the middle of something: then sound chunks
    // follow each other inside of what it claims.
    std::optional<RunAddress> sound_inside_last(RunAddress claimed_end) {
        if (!has_block_) return std::nullopt;
        RunAddress begin = RunAddress(heap_.blocks.back().address) - kHeader;
        RunAddress last = std::min(claimed_end, begin + kSearched);
        for (RunAddress at = begin + kLeastChunk; at < last; at = at + kAlignment)
            if (leads_on(at)) return at;
        return std::nullopt;
    }

    // The header of the last block is what is damaged.
    void take_last_back() {
        RunAddress at = RunAddress(heap_.blocks.back().address) - kHeader;
        heap_.blocks.pop_back();
        has_block_ = has_two_blocks_;
        tell_header(at, words_.at(at + kWord).value_or(0));
        heap_.damage.back().what = fmt::format(
            "the header at {:#x} says {:#x}, and sound blocks lie inside of what that "
            "claims",
            (at + kWord).value, heap_.damage.back().found);
        has_block_ = has_two_blocks_ = false;
    }

    // The block before it must be in use: of a free one nobody knows where it begins.
    bool leads_on(RunAddress at) {
        for (unsigned i = 0; i < kSoundInARow; ++i) {
            if (at == arena_.top || at == piece_.high) return i > 0;
            auto word = words_.at(at + kWord);
            if (!word || !is_sound(at, *word)) return false;
            if (i == 0 && !(*word & kBeforeInUse)) return false;
            at = at + size_of(*word);
        }
        return true;
    }

    // A chunk says whether the one before it is in use; a free one has its size at both ends.
    void judge_block_before(RunAddress at, std::uint64_t word) {
        if ((word & kBeforeInUse) || !has_block_) return;
        HeapBlock& before = heap_.blocks.back();
        before.set_state(HeapBlock::State::free);
        std::uint64_t expected = before.size() + kWord, found = words_.at(at).value_or(0);
        if (found == expected) return;
        HeapDamage damage;
        damage.kind = HeapDamage::Kind::footer;
        damage.at = at;
        damage.found = found;
        damage.before = before;
        damage.what = fmt::format(
            "the block of {} bytes at {:#x} is free by the header behind it, and its size at its "
            "end is {:#x} instead of {:#x}",
            before.size(), before.address, found, expected);
        heap_.damage.push_back(std::move(damage));
    }

    // What is left at the end reaches to the end of a page, within the memory that the arena has.
    void end_at(RunAddress top) {
        auto word = words_.at(top + kWord);
        if (!word) return;
        judge_block_before(top, *word);
        RunAddress end = top + size_of(*word);
        if (end.value % kPageSize == 0 && end <= piece_.high) return;
        HeapDamage damage;
        damage.at = top;
        damage.found = *word;
        damage.what = fmt::format(
            "the rest at the end of arena {} says that it has {} bytes, and there are {}",
            arena_.number, size_of(*word), piece_.high - top);
        if (has_block_) damage.before = heap_.blocks.back();
        heap_.damage.push_back(std::move(damage));
    }

    void tell_header(RunAddress at, std::uint64_t word) {
        HeapDamage damage;
        damage.at = at;
        damage.found = word;
        damage.what = fmt::format("the header at {:#x} says {:#x}, which is no size of a block",
                                  (at + kWord).value, word);
        if (has_block_) damage.before = heap_.blocks.back();
        heap_.damage.push_back(std::move(damage));
    }

    HeapWords& words_;
    const HeapArena& arena_;
    RunRange& piece_;
    Heap& heap_;
    bool has_block_ = false;       // the last block lies right before where the walk stands
    bool has_two_blocks_ = false;  // and another right before that one
};

bool is_stack(Target& target, const MemoryRegion& region) {
    auto threads = target.threads();
    return std::any_of(threads.begin(), threads.end(), [&](ThreadId thread) {
        return region.contains(target.registers(thread).stack_pointer());
    });
}

bool is_of_an_arena(const Heap& heap, const MemoryRegion& region) {
    for (const HeapArena& arena : heap.arenas)
        for (const RunRange& piece : arena.pieces)
            if (piece.low < region.end && region.begin < piece.high) return true;
    return false;
}

}  // namespace

std::optional<std::uint64_t> word_at(Target& target, RunAddress at) {
    std::uint64_t word = 0;
    auto bytes = std::as_writable_bytes(std::span(&word, 1));
    return target.read_available(at, bytes) == sizeof word ? std::optional(word) : std::nullopt;
}

bool HeapWords::Piece::holds(RunAddress address) const {
    return address >= begin && address + kWord <= begin + bytes.size();
}

HeapWords::Piece HeapWords::read(RunAddress begin, std::vector<std::byte> buffer) const {
    buffer.resize(kWindow);
    buffer.resize(target_.read_bulk(begin, buffer));
    return {begin, std::move(buffer)};
}

void HeapWords::read_ahead() {
    constexpr std::size_t kAhead = 2;  // pieces
    while (next_.size() < kAhead) {
        auto read_next = [this, begin = ahead_, buffer = std::move(spare_)]() mutable {
            return read(begin, std::move(buffer));
        };
        try {
            next_.push_back(std::async(std::launch::async, std::move(read_next)));
        } catch (const std::system_error&) {  // no more threads: it is read when it is needed
            return;
        }
        ahead_ = ahead_ + kWindow;
    }
}

void HeapWords::go_to(RunAddress address) {
    bool goes_on = address >= piece_.begin && address - piece_.begin < 2 * kWindow;
    if (!next_.empty()) {
        spare_ = std::exchange(piece_, next_.front().get()).bytes;
        next_.pop_front();
    }
    if (!piece_.holds(address)) {
        next_.clear();
        piece_ = read(RunAddress(address.value & ~(kPageSize - 1)), std::move(piece_.bytes));
        ahead_ = piece_.begin + kWindow;
    }
    if (goes_on && piece_.bytes.size() == kWindow) read_ahead();
}

std::optional<std::uint64_t> HeapWords::at(RunAddress address) {
    if (!piece_.holds(address)) go_to(address);
    if (!piece_.holds(address)) return std::nullopt;
    std::uint64_t word;
    std::memcpy(&word, piece_.bytes.data() + (address - piece_.begin), sizeof word);
    return word;
}

void walk_piece(HeapWords& words, const HeapArena& arena, RunRange& piece, Heap& heap,
                const std::function<void(std::uint64_t bytes)>& progress) {
    Walk(words, arena, piece, heap).run(progress);
}

// Nothing lists them. Each begins at a page; before its header lies what aligning it has cost.
void find_own_mappings(Target& target, Heap& heap, std::uint64_t pages_looked_at) {
    for (const MemoryRegion& region : target.regions()) {
        bool may_hold = region.name.empty() && region.permissions.starts_with("rw");
        if (!may_hold || is_of_an_arena(heap, region) || is_stack(target, region)) continue;
        std::uint64_t looked_at = 0;
        for (RunAddress page = region.begin; page < region.end && looked_at < pages_looked_at;) {
            std::uint64_t words[2] = {};
            target.read_bulk(page, std::as_writable_bytes(std::span(words)));
            auto [before, word] = words;
            std::uint64_t whole = size_of(word) + before;
            bool is_block = (word & kFlags) == kOwnMapping && before < kPageSize && whole &&
                            whole % kPageSize == 0 && whole <= region.end - page;
            if (!is_block) {
                page = page + kPageSize;
                ++looked_at;
                continue;
            }
            heap.blocks.emplace_back(page + before + kHeader, size_of(word) - kHeader, 0,
                                     HeapBlock::State::in_use);
            page = page + whole;
        }
    }
}

}  // namespace lantern
