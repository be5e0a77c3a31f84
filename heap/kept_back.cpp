// Freed blocks that are not given out again yet, the oldest first. When one leaves, its fill tells
// whether somebody wrote into it.
#include "heap/shared.h"

namespace lantern::heap_library {

namespace {

constexpr std::uint64_t kFullBatch = 64 << 10;    // of blocks, in one batch
constexpr std::uint64_t kContentKept = 64 << 10;  // bytes: of a larger freed one it is given back

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

// Whose oldest batch is to go: the thread's own, unless others keep more than their share.
Kept& to_release_from(Thread& thread) {
    auto bytes_of = [](const Kept& kept) { return __atomic_load_n(&kept.bytes, __ATOMIC_RELAXED); };
    Kept* most = &thread.kept;
    if (bytes_of(*most) >= options.keep_bytes / all_threads().count) return *most;
    for (Thread& other : all_threads())
        if (bytes_of(other.kept) > bytes_of(*most)) most = &other.kept;
    return *most;
}

// Null where not too much is kept.
Batch* oldest_to_release(Thread& thread) {
    if (__atomic_load_n(&shared.kept_bytes, __ATOMIC_RELAXED) <= options.keep_bytes) return nullptr;
    Kept& kept = to_release_from(thread);
    Holding holding(kept.lock);
    Batch* oldest = kept.oldest;
    if (!oldest) return nullptr;
    kept.oldest = oldest->next;
    if (!kept.oldest) kept.newest = nullptr;
    kept.bytes -= oldest->bytes;
    __atomic_sub_fetch(&shared.kept_bytes, oldest->bytes, __ATOMIC_RELAXED);
    return oldest;
}

Batch* empty_batch() {
    Holding holding(shared.batches_lock);
    Batch* batch = shared.unused;
    if (batch)
        shared.unused = batch->next;
    else
        batch = reinterpret_cast<Batch*>(shared.batch_memory.add(sizeof(Batch)));
    return batch;
}

}  // namespace

// What the thread is filling becomes the newest of its batches.
void hand_over(Thread& thread) {
    Batch* full = thread.filling;
    thread.filling = nullptr;
    if (!full) return;
    full->next = nullptr;
    {
        Holding holding(thread.kept.lock);
        (thread.kept.newest ? thread.kept.newest->next : thread.kept.oldest) = full;
        thread.kept.newest = full;
        thread.kept.bytes += full->bytes;
        __atomic_add_fetch(&shared.kept_bytes, full->bytes, __ATOMIC_RELAXED);
    }
    while (Batch* oldest = oldest_to_release(thread)) {
        release_all(thread, *oldest);
        Holding holding(shared.batches_lock);
        oldest->next = shared.unused;
        shared.unused = oldest;
    }
}

void keep_back(Thread& thread, std::uint32_t number, const Block& block) {
    if (!thread.filling && !(thread.filling = empty_batch())) return give_back_slot(thread, number);
    Batch& batch = *thread.filling;
    batch.add(number, block.size);
    if (batch.bytes > kFullBatch || batch.count == Batch::kMost) hand_over(thread);
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
