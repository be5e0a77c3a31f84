// Freed blocks that are not given out again yet, the oldest first. When one leaves, its fill tells
// whether somebody wrote into it.
#include "heap/shared.h"

namespace lantern::heap_library {

namespace {

constexpr std::uint64_t kThreadKeeps = 256 << 10;  // bytes, before it hands over a batch
constexpr std::uint64_t kContentKept = 64 << 10;   // bytes: of a larger freed one it is given back

// Much of it was not touched for a while: the record is fetched early, and then its block.
void release_all(Thread& thread, Batch& batch) {
    constexpr std::uint32_t kRecordAhead = 8, kBlockAhead = 3, kLine = 64;
    for (std::uint32_t i = 0; i < batch.count; ++i) {
        if (i + kRecordAhead < batch.count)
            __builtin_prefetch(&spans.record(batch.numbers[i + kRecordAhead]), 1);
        if (i + kBlockAhead < batch.count) {
            const Block& ahead = spans.record(batch.numbers[i + kBlockAhead]);
            for (std::uint64_t line = 0; line < filled_at_death(ahead); line += kLine)
                __builtin_prefetch(reinterpret_cast<const char*>(ahead.address) + line);
        }
        check_fill(batch.numbers[i], spans.record(batch.numbers[i]));
        give_back_slot(thread, batch.numbers[i]);
    }
    batch.count = 0;
    batch.bytes = 0;
}

// The oldest batch of all, if they are too many; null if they are not.
Batch* oldest_to_release() {
    Holding holding(shared.kept_lock);
    bool is_full = shared.kept_end - shared.kept_begin == Shared::kBatches;
    if (!is_full && shared.kept_bytes <= options.keep_bytes) return nullptr;
    if (shared.kept_begin == shared.kept_end) return nullptr;
    Batch* oldest = shared.kept[shared.kept_begin++ % Shared::kBatches];
    shared.kept_bytes -= oldest->bytes;
    return oldest;
}

Batch* empty_batch() {
    Holding holding(shared.kept_lock);
    Batch* batch = shared.unused;
    if (batch)
        shared.unused = batch->next_unused;
    else
        batch = reinterpret_cast<Batch*>(shared.batch_memory.add(sizeof(Batch)));
    return batch;
}

}  // namespace

// The thread's batch becomes one of all.
void hand_over(Thread& thread) {
    Batch* mine = thread.kept;
    thread.kept = nullptr;
    if (!mine) return;
    {
        Holding holding(shared.kept_lock);
        shared.kept[shared.kept_end++ % Shared::kBatches] = mine;
        shared.kept_bytes += mine->bytes;
    }
    while (Batch* oldest = oldest_to_release()) {
        release_all(thread, *oldest);
        Holding holding(shared.kept_lock);
        oldest->next_unused = shared.unused;
        shared.unused = oldest;
    }
}

void keep_back(Thread& thread, std::uint32_t number, const Block& block) {
    if (!thread.kept && !(thread.kept = empty_batch())) return give_back_slot(thread, number);
    thread.kept->add(number, block.size);
    if (thread.kept->bytes > kThreadKeeps || thread.kept->count == Batch::kMost) hand_over(thread);
}

void release_oldest_alone() {
    Block& block = spans.record(shared.kept_alone_first);
    Span& span = spans.span(block.span);
    shared.kept_alone_first = block.next;
    if (!block.next) shared.kept_alone_last = 0;
    --shared.kept_alone;
    if (span.bytes <= kContentKept) shared.alone_bytes_kept -= span.bytes;
    block.state = State::empty;
    spans.put_back(span);
}

void keep_back_alone(std::uint32_t number, const Span& span) {
    if (span.bytes > kContentKept) give_back_content(span.begin, span.bytes);
    make_untouchable(span.begin, span.bytes);
    __atomic_sub_fetch(&shared.alone, 1, __ATOMIC_RELAXED);
    Holding holding(spans.alone_lock());
    spans.record(number).next = 0;
    (shared.kept_alone_last ? spans.record(shared.kept_alone_last).next : shared.kept_alone_first) =
        number;
    shared.kept_alone_last = number;
    ++shared.kept_alone;
    if (span.bytes <= kContentKept) shared.alone_bytes_kept += span.bytes;
    while (shared.kept_alone > 1 && shared.alone_bytes_kept > options.keep_bytes)
        release_oldest_alone();
}

}  // namespace lantern::heap_library
