// Blocks are born: in a slot of a span, or in a span of their own.
#include "heap/shared.h"

#include <x86intrin.h>

namespace lantern::heap_library {

namespace {

using heap_tables::GuardPage;

// What is asked for, and where.
struct Wanted {
    std::uint64_t size, alignment;
    Way way;
    std::uint32_t stack;  // the calls that led here
};

void write_record(Block& block, Thread& thread, std::uint64_t address, const Wanted& wanted,
                  GuardPage guard) {
    block.address = address;
    block.size = wanted.size;
    block.number = ++thread.births;
    block.check = check_of(block);
    block.born = __rdtsc();
    block.died = 0;
    block.born_stack = wanted.stack;
    block.died_stack = 0;
    block.born_thread = thread.number;
    block.died_thread = 0;
    block.born_way = wanted.way;
    block.died_way = Way::none;
    block.guard = guard;
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
        fill(at, count, heap_tables::kBirthFill);
    }
}

constexpr std::uint64_t kZeroedByPages = 64 << 10;  // bytes, from there on

bool is_to_be_guarded(const Wanted& wanted) {
    if (wanted.size < options.guard_least || wanted.size > options.guard_most) return false;
    if (options.guard_named && !stacks.is_of_named_place(wanted.stack)) return false;
    if (__atomic_load_n(&head.guard_births, __ATOMIC_RELAXED) == 0) return false;
    static std::uint64_t count = 0;
    if (options.guard_every > 1 &&
        __atomic_add_fetch(&count, 1, __ATOMIC_RELAXED) % options.guard_every != 0)
        return false;
    if (__atomic_load_n(&shared.alone, __ATOMIC_RELAXED) < kGuardsAlive) return true;
    __atomic_add_fetch(&head.guards_missed, 1, __ATOMIC_RELAXED);
    return false;
}

// Behind a span is a page that nobody may touch, and so is one before it: of the span before, or
// the last one of those that slots are made of.
//
//     behind    |no page|filled |block········|≤15|no page|
//     at_end    |no page|filled     |block········|no page|
//     before    |no page|block········|filled     |no page|
std::uint64_t place_of_block(const Span& span, const Wanted& wanted, GuardPage guard) {
    if (guard == GuardPage::before) return span.begin;
    // Of a block of no bytes too the address is its own, and can be found again.
    std::uint64_t last = span.begin + span.bytes - (wanted.size ? wanted.size : 1);
    return guard == GuardPage::at_end ? last : last & ~(wanted.alignment - 1);
}

// In a span of its own. Null: there is none to be had.
void* born_alone(Thread& thread, const Wanted& wanted, GuardPage guard) {
    std::uint64_t size = wanted.size, alignment = wanted.alignment;
    bool is_guard = guard != GuardPage::none;
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
    std::uint64_t address = place_of_block(*span, wanted, guard);
    Block& block = spans.record(span->first);
    write_record(block, thread, address, wanted, is_guard ? guard : GuardPage::behind);
    if (wanted.way == Way::calloc && size >= kZeroedByPages) {
        // Whole pages come as zeroes from the kernel, and need no memory until they are written.
        std::uint64_t first_page = up_to(address, kPage);
        give_back_content(first_page, end - first_page);
        __builtin_memset(reinterpret_cast<void*>(address), 0, first_page - address);
    } else {
        fill_at_birth(block, wanted.way);
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

void* born_in_slot(Thread& thread, const Wanted& wanted) {
    std::uint64_t extra = wanted.alignment > kMargin ? wanted.alignment : 0;
    unsigned size_number = size_class(wanted.size + 2 * kMargin + extra);
    List& list = thread.free[size_number];
    if (!list.first && !refill(thread, size_number)) return nullptr;
    std::uint32_t number = list.pop();
    fetch_next(list);
    Block& block = spans.record(number);
    const Span& span = spans.span(block.span);
    std::uint64_t begin = span.slot_begin(number - span.first);
    std::uint64_t address = up_to(begin + kMargin, wanted.alignment);
    write_record(block, thread, address, wanted, GuardPage::none);
    fill_margins(block, begin, begin + span.slot);
    fill_at_birth(block, wanted.way);
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
    Wanted wanted{size, alignment, way, stacks.number_of(caller, thread->ways)};
    if (is_large) {
        void* made = born_alone(*thread, wanted, GuardPage::none);
        return made ? made : no_memory();
    }
    if (alignment == kMargin && is_to_be_guarded(wanted)) {
        auto guard = static_cast<GuardPage>(options.guard_page);
        if (void* made = born_alone(*thread, wanted, guard)) return made;
        __atomic_store_n(&head.guard_births, 0, __ATOMIC_RELAXED);  // the kernel gives no more
    }
    void* made = born_in_slot(*thread, wanted);
    return made ? made : no_memory();
}

}  // namespace lantern::heap_library
