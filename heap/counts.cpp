// How much lives, in all and by place of birth. Threads add up their own first.
#include "heap/shared.h"

#include "heap/pictures.h"

namespace lantern::heap_library {

namespace {

void count_growth(Thread& thread) {
    add_pending(thread);
    std::uint64_t live = __atomic_add_fetch(
        &head.live_bytes, static_cast<std::uint64_t>(thread.counts.live_change), __ATOMIC_RELAXED);
    thread.counts.live_change = 0;
    thread.births_told = thread.births;
    bool is_peak = live > __atomic_load_n(&head.peak_bytes, __ATOMIC_RELAXED) &&
                   static_cast<std::int64_t>(live) > 0;
    if (is_peak) __atomic_store_n(&head.peak_bytes, live, __ATOMIC_RELAXED);
    __atomic_store_n(&head.stacks_used, stacks.used(), __ATOMIC_RELEASE);
    take_picture_if_due(head, stacks, live, now_ns);
}

void add_to_stack(Thread& thread, std::uint32_t stack, std::int64_t bytes) {
    Pending& pending = thread.pending[stack / 16 % Thread::kPending];
    if (pending.stack != stack) {
        if (pending.bytes)
            __atomic_add_fetch(&stacks.at(pending.stack).live_bytes,
                               static_cast<std::uint64_t>(pending.bytes), __ATOMIC_RELAXED);
        pending = {stack, 0};
    }
    pending.bytes += bytes;
}

}  // namespace

void add_pending(Thread& thread) {
    for (Pending& pending : thread.pending) {
        if (pending.bytes)
            __atomic_add_fetch(&stacks.at(pending.stack).live_bytes,
                               static_cast<std::uint64_t>(pending.bytes), __ATOMIC_RELAXED);
        pending.bytes = 0;
    }
}

void count_birth(Thread& thread, const Block& block) {
    constexpr std::int64_t kTold = 32 << 10;
    add_to_stack(thread, block.born_stack, static_cast<std::int64_t>(block.size));
    ++thread.counts.births;
    std::int64_t change = thread.counts.live_change += static_cast<std::int64_t>(block.size);
    bool is_small_yet = thread.births < 256;
    if (change > kTold || change < -kTold || is_small_yet ||
        thread.births - thread.births_told > 4096)
        count_growth(thread);
}

void count_death(Thread& thread, const Block& block) {
    add_to_stack(thread, block.born_stack, -static_cast<std::int64_t>(block.size));
    thread.counts.live_change -= static_cast<std::int64_t>(block.size);
}

}  // namespace lantern::heap_library
