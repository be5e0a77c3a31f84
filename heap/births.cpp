// Blocks are born: in a slot of a span, or in a span of their own.
#include "heap/shared.h"

#include <x86intrin.h>

namespace lantern::heap_library {

namespace {

void write_record(Block& block, Thread& thread, std::uint64_t address, std::uint64_t size, Way way,
                  const Caller& caller, bool is_guarded) {
    block.address = address;
    block.size = size;
    block.number = ++thread.births;
    block.check = check_of(block);
    block.born = __rdtsc();
    block.died = 0;
    block.born_stack = stacks.number_of(caller, thread.ways);
    block.died_stack = 0;
    block.born_thread = thread.number;
    block.died_thread = 0;
    block.born_way = way;
    block.died_way = Way::none;
    block.is_guarded = is_guarded;
}

// Whoever looks from outside shall find a living block whole.
void make_live(Block& block) {
    __atomic_store_n(&block.state, State::live, __ATOMIC_RELEASE);
}

void fill_at_birth(const Block& block, Way way) {
    auto* at = reinterpret_cast<void*>(block.address);
    if (way == Way::calloc) {
        __builtin_memset(at, 0, block.size);
    } else {
        std::uint64_t count =
            block.size < heap_tables::kBirthFilled ? block.size : heap_tables::kBirthFilled;
        __builtin_memset(at, heap_tables::kBirthFill, count);
    }
}

constexpr std::uint64_t kZeroedByPages = 64 << 10;  // bytes, from there on

bool is_to_be_guarded(std::uint64_t size) {
    if (size < options.guard_least || size > options.guard_most) return false;
    if (__atomic_load_n(&head.guard_births, __ATOMIC_RELAXED) == 0) return false;
    static std::uint64_t count = 0;
    if (options.guard_every > 1 &&
        __atomic_add_fetch(&count, 1, __ATOMIC_RELAXED) % options.guard_every != 0)
        return false;
    if (__atomic_load_n(&shared.alone, __ATOMIC_RELAXED) < kGuardsAlive) return true;
    __atomic_add_fetch(&head.guards_missed, 1, __ATOMIC_RELAXED);
    return false;
}

// With a page behind it that nobody may touch. Null: there is none to be had.
void* born_alone(Thread& thread, std::uint64_t size, std::uint64_t alignment, Way way,
                 const Caller& caller, bool is_guard) {
    if (size > (std::uint64_t{1} << 46)) return nullptr;
    std::uint64_t bytes = up_to(size + kMargin + (alignment > kMargin ? alignment : 0), kPage);
    bool is_refused = false;
    Span* span;
    {
        Holding holding(spans.alone_lock());
        if (is_guard)
            while (shared.kept_alone > kGuardsAlive / 2) release_oldest_alone();
        span = spans.alone(bytes, is_refused);
    }
    if (is_refused) __atomic_add_fetch(&head.guards_refused, 1, __ATOMIC_RELAXED);
    if (!span) return nullptr;
    if (is_guard) __atomic_sub_fetch(&head.guard_births, 1, __ATOMIC_RELAXED);
    __atomic_add_fetch(&shared.alone, 1, __ATOMIC_RELAXED);
    std::uint64_t end = span->begin + span->bytes;
    // Of a block of no bytes too the address is its own, and can be found again.
    std::uint64_t address = (end - (size ? size : 1)) & ~(alignment - 1);
    Block& block = spans.record(span->first);
    write_record(block, thread, address, size, way, caller, true);
    if (way == Way::calloc && size >= kZeroedByPages) {
        // Whole pages come as zeroes from the kernel, and need no memory until they are written.
        std::uint64_t first_page = up_to(address, kPage);
        give_back_content(first_page, end - first_page);
        __builtin_memset(reinterpret_cast<void*>(address), 0, first_page - address);
    } else {
        fill_at_birth(block, way);
    }
    fill_margins(block, span->begin, end);
    make_live(block);
    count_birth(thread, block);
    if (head.asked_count) answer_asked(span->first, false);
    return reinterpret_cast<void*>(address);
}

// The next of the list will be wanted soon: its record and its slot are fetched meanwhile.
void fetch_next(const List& list) {
    constexpr std::uint64_t kLine = 64;
    if (!list.first) return;
    const Block& next = spans.record(list.first);
    const char* slot = reinterpret_cast<const char*>(next.address - kMargin);
    for (std::uint64_t line = 0; line < 4; ++line) __builtin_prefetch(slot + line * kLine, 1);
    __builtin_prefetch(slot + next.size + kMargin, 1);
    __builtin_prefetch(&spans.record(next.next), 1);
}

void* born_in_slot(Thread& thread, std::uint64_t size, std::uint64_t alignment, Way way,
                   const Caller& caller) {
    std::uint64_t extra = alignment > kMargin ? alignment : 0;
    unsigned size_number = size_class(size + 2 * kMargin + extra);
    List& list = thread.free[size_number];
    if (!list.first && !refill(thread, size_number)) return nullptr;
    std::uint32_t number = list.pop();
    fetch_next(list);
    Block& block = spans.record(number);
    const Span& span = spans.span(block.span);
    std::uint64_t begin = span.slot_begin(number - span.first);
    std::uint64_t address = up_to(begin + kMargin, alignment);
    write_record(block, thread, address, size, way, caller, false);
    fill_margins(block, begin, begin + span.slot);
    fill_at_birth(block, way);
    make_live(block);
    count_birth(thread, block);
    if (head.asked_count) answer_asked(number, false);
    return reinterpret_cast<void*>(address);
}

}  // namespace

void* born(std::uint64_t size, std::uint64_t alignment, Way way, const Caller& caller) {
    Thread* thread = this_thread();
    if (!thread) return no_memory();
    if (alignment < kMargin) alignment = kMargin;
    bool is_large = size + 2 * kMargin + alignment > kLargestSlot || size > kLargestSlot;
    if (is_large) {
        void* made = born_alone(*thread, size, alignment, way, caller, false);
        return made ? made : no_memory();
    }
    if (alignment == kMargin && is_to_be_guarded(size)) {
        if (void* made = born_alone(*thread, size, alignment, way, caller, true)) return made;
        __atomic_store_n(&head.guard_births, 0, __ATOMIC_RELAXED);  // the kernel gives no more
    }
    void* made = born_in_slot(*thread, size, alignment, way, caller);
    return made ? made : no_memory();
}

}  // namespace lantern::heap_library
