// Births and deaths of blocks. Each thread keeps lists of slots that are free, by size, and a queue
// of what it has freed; both are exchanged with those of all threads in batches, so that most
// requests take no lock.
#include "heap/blocks.h"

#include <errno.h>
#include <pthread.h>
#include <time.h>
#include <x86intrin.h>

#include "heap/library.h"
#include "heap/pictures.h"
#include "heap/spans.h"
#include "heap/stacks.h"
#include "heap/wishes.h"

// The session finds it by name. Its members are set when the first block is born.
extern "C" __attribute__((visibility("default"))) lantern::heap_tables::Head elm_lantern_heap;
lantern::heap_tables::Head elm_lantern_heap;

extern "C" __attribute__((visibility("default"), noinline)) void elm_lantern_heap_found() {
    __asm__ volatile("" ::: "memory");
}

namespace lantern::heap_library {

using heap_tables::Block;
using heap_tables::check_of;
using heap_tables::Fault;
using heap_tables::kMargin;
using heap_tables::State;

namespace {

heap_tables::Head& head = elm_lantern_heap;
Options options;
Spans spans;
Stacks stacks;

// ---- sizes of slots: steps of 16 bytes up to 128, then eight to each doubling

constexpr std::uint32_t kLastFine = 128, kLargestSlot = 256 << 10;
constexpr unsigned kLastFinePower = 7, kFineSizes = kLastFine / 16 + 1,
                   kSizes = kFineSizes + 8 * 11;

unsigned size_class(std::uint64_t slot) {
    if (slot <= kLastFine) return static_cast<unsigned>((slot + 15) / 16);
    unsigned power = 63 - static_cast<unsigned>(__builtin_clzll(slot - 1));
    return kFineSizes + (power - kLastFinePower) * 8 +
           static_cast<unsigned>((slot - 1) >> (power - 3) & 7);
}

std::uint32_t slot_size(unsigned number) {
    if (number < kFineSizes) return number * 16;
    unsigned power = kLastFinePower + (number - kFineSizes) / 8, eighth = (number - kFineSizes) % 8;
    return (1u << power) + (eighth + 1) * (1u << (power - 3));
}

// ---- lists of records, linked by their numbers

struct List {
    std::uint32_t first = 0, count = 0;

    void push(std::uint32_t number) {
        spans.record(number).next = first;
        first = number;
        ++count;
    }
    std::uint32_t pop() {
        std::uint32_t number = first;
        if (number) {
            first = spans.record(number).next;
            --count;
        }
        return number;
    }
};

// Freed blocks, the oldest first. An array: what comes next can be fetched before it is needed.
struct Batch {
    static constexpr std::uint32_t kMost = 512;
    std::uint32_t count = 0;
    std::uint64_t bytes = 0;
    Batch* next_unused = nullptr;
    std::uint32_t numbers[kMost];

    void add(std::uint32_t number, std::uint64_t size) {
        numbers[count++] = number;
        bytes += size + sizeof(Block);
    }
};

// What a thread has to add to the live bytes of a stack. To add it at once would mean that all
// threads write to one place at each request.
struct Pending {
    std::uint32_t stack = 0;
    std::int64_t bytes = 0;
};

struct Thread {
    heap_tables::Counts counts{};  // first: the session reads them
    std::uint16_t number = 0;
    std::uint64_t births = 0, births_told = 0;
    Batch* kept = nullptr;
    List free[kSizes];
    static constexpr std::size_t kPending = 64;
    Pending pending[kPending];
    Thread* next_idle = nullptr;
};

// ---- what all threads share

struct Shared {
    struct Size {
        Lock lock;
        List free;
        Span* carved = nullptr;  // the span that new slots are taken from
        std::uint32_t carved_slots = 0;
    } sizes[kSizes];

    // Batches of freed blocks, the oldest first.
    static constexpr std::uint32_t kBatches = 1 << 16;
    Lock kept_lock;
    Batch* kept[kBatches];
    std::uint32_t kept_begin = 0, kept_end = 0;
    std::uint64_t kept_bytes = 0;
    Batch* unused = nullptr;
    Growing batch_memory;

    // Those with a page of their own behind them, the oldest first.
    std::uint32_t kept_alone_first = 0, kept_alone_last = 0;
    std::uint64_t kept_alone = 0, alone = 0, alone_bytes_kept = 0;

    Lock threads_lock;
    Growing thread_memory;
    Thread* idle = nullptr;
    Lock fault_lock;
};
Shared shared;

constexpr std::uint64_t kThreadKeeps = 256 << 10;  // bytes, before it hands over a batch

__attribute__((tls_model("initial-exec"))) thread_local Thread* own_thread = nullptr;
pthread_key_t thread_key;
bool has_thread_key = false;

std::uint64_t now_ns() {
    timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return static_cast<std::uint64_t>(now.tv_sec) * 1000000000 +
           static_cast<std::uint64_t>(now.tv_nsec);
}

// ---- beginning

enum class Begun : int { no, yes, failed };
Begun begun = Begun::no;
Lock begin_lock;

bool begin_all() {
    options = read_options();
    if (!spans.begin(head) || !stacks.begin() || !begin_pictures(head)) return false;
    if (!shared.thread_memory.take(std::uint64_t{65536} * sizeof(Thread)) ||
        !shared.batch_memory.take(std::uint64_t{2} * Shared::kBatches * sizeof(Batch)))
        return false;
    head.counts = shared.thread_memory.begin;
    head.counts_apart = sizeof(Thread);
    head.stacks = stacks.address();
    head.stacks_used = stacks.used();
    head.keep_bytes = options.keep_bytes;
    head.guard_births = options.guard_births;
    head.start_ticks = head.seen_ticks = __rdtsc();
    head.start_ns = head.seen_ns = now_ns();
    Reserved own[heap_tables::kOwnRanges];
    std::size_t owned = all_reserved(own, heap_tables::kOwnRanges);
    for (std::size_t i = 0; i < owned; ++i)
        if (own[i].begin != head.area) head.own[i] = {own[i].begin, own[i].end};
    head.size_of_head = sizeof head;
    head.size_of_block = sizeof(Block);
    __atomic_store_n(&head.mark, heap_tables::kMark, __ATOMIC_RELEASE);
    head.is_on = 1;
    return true;
}

bool has_begun() {
    Begun now = __atomic_load_n(&begun, __ATOMIC_ACQUIRE);
    if (now == Begun::no) {
        Holding holding(begin_lock);
        if (begun == Begun::no)
            __atomic_store_n(&begun, begin_all() ? Begun::yes : Begun::failed, __ATOMIC_RELEASE);
        now = begun;
    }
    return now == Begun::yes;
}

// ---- threads

void give_to_all(unsigned size, List& list, std::uint32_t left);
void hand_over(Thread& thread);
void add_pending(Thread& thread);

// A thread is at its end. It may still free something afterwards: it gets another one then.
void leave_thread(void* which) {
    auto* thread = static_cast<Thread*>(which);
    own_thread = nullptr;
    hand_over(*thread);
    add_pending(*thread);
    for (unsigned i = 0; i < kSizes; ++i) give_to_all(i, thread->free[i], 0);
    Holding holding(shared.threads_lock);
    thread->next_idle = shared.idle;
    shared.idle = thread;
}

Thread* begin_thread() {
    if (!has_begun()) return nullptr;
    {
        Holding holding(shared.threads_lock);
        Thread* thread = shared.idle;
        if (thread) {
            shared.idle = thread->next_idle;
        } else {
            thread = reinterpret_cast<Thread*>(shared.thread_memory.add(sizeof(Thread)));
            if (!thread) return nullptr;
            ++head.counts_used;
        }
        // What the last one with this memory has counted is not this one's.
        thread->births = thread->births_told = 0;
        thread->number = static_cast<std::uint16_t>(++head.threads);
        own_thread = thread;
    }
    if (has_thread_key) pthread_setspecific(thread_key, own_thread);
    return own_thread;
}

Thread* this_thread() {
    Thread* thread = own_thread;
    return __builtin_expect(thread != nullptr, 1) ? thread : begin_thread();
}

// ---- fills

void fill_margins(const Block& block, std::uint64_t begin, std::uint64_t end) {
    auto* at = reinterpret_cast<unsigned char*>(block.address);
    std::uint64_t before = block.address - begin < heap_tables::kMarginChecked
                               ? block.address - begin
                               : heap_tables::kMarginChecked;
    __builtin_memset(at - before, heap_tables::kMarginFill, before);
    std::uint64_t behind = end - block.address - block.size;
    if (behind > heap_tables::kMarginChecked) behind = heap_tables::kMarginChecked;
    __builtin_memset(at + block.size, heap_tables::kMarginFill, behind);
}

std::uint64_t filled_at_death(const Block& block) {
    return block.size < heap_tables::kDeathFilled ? block.size : heap_tables::kDeathFilled;
}

// Whether memory is all of one byte, quickly.
bool is_all(const unsigned char* at, std::uint64_t count, unsigned char byte) {
    __m128i pattern = _mm_set1_epi8(static_cast<char>(byte)), same = _mm_set1_epi8(-1);
    auto compare = [&](std::uint64_t i) {
        __m128i found = _mm_loadu_si128(reinterpret_cast<const __m128i*>(at + i));
        same = _mm_and_si128(same, _mm_cmpeq_epi8(found, pattern));
    };
    std::uint64_t i = 0;
    for (; i + 64 <= count; i += 64) {
        compare(i);
        compare(i + 16);
        compare(i + 32);
        compare(i + 48);
    }
    for (; i + 16 <= count; i += 16) compare(i);
    if (_mm_movemask_epi8(same) != 0xffff) return false;
    for (; i < count; ++i)
        if (at[i] != byte) return false;
    return true;
}

struct Written {
    std::uint64_t at = 0, bytes = 0;  // from the first byte that differs to the last
};
Written what_was_written(const unsigned char* at, std::uint64_t count, unsigned char byte) {
    Written written;
    for (std::uint64_t i = 0; i < count; ++i) {
        if (at[i] == byte) continue;
        if (!written.bytes) written.at = reinterpret_cast<std::uint64_t>(at + i);
        written.bytes = reinterpret_cast<std::uint64_t>(at + i) + 1 - written.at;
    }
    return written;
}

// ---- faults

void tell(Fault::Kind kind, std::uint32_t block, std::uint64_t address, Written written,
          std::uint64_t given, Way way) {
    Thread* thread = this_thread();
    Holding holding(shared.fault_lock);
    std::uint64_t count = head.fault.count + 1;
    head.fault = {kind,
                  block,
                  address,
                  written.at,
                  written.bytes,
                  given,
                  static_cast<std::uint32_t>(way),
                  thread ? thread->number : 0u,
                  count};
    head.seen_ticks = __rdtsc();
    head.seen_ns = now_ns();
    elm_lantern_heap_found();
}

// Where the memory begins and ends that a block has for itself.
struct Room {
    std::uint64_t begin, end;
};
Room room_of(std::uint32_t number, const Span& span) {
    if (span.is_alone) return {span.begin, span.begin + span.bytes};
    std::uint64_t begin = span.slot_begin(number - span.first);
    return {begin, begin + span.slot};
}

void check_margins(std::uint32_t number, Block& block, const Span& span, Way way) {
    Room room = room_of(number, span);
    auto* at = reinterpret_cast<unsigned char*>(block.address);
    std::uint64_t before = block.address - room.begin,
                  behind = room.end - block.address - block.size;
    if (before > heap_tables::kMarginChecked) before = heap_tables::kMarginChecked;
    if (behind > heap_tables::kMarginChecked) behind = heap_tables::kMarginChecked;
    bool is_whole_before = is_all(at - before, before, heap_tables::kMarginFill);
    bool is_whole_behind = is_all(at + block.size, behind, heap_tables::kMarginFill);
    if (is_whole_before && is_whole_behind) return;
    if (!is_whole_behind)
        tell(Fault::Kind::behind_end, number, block.address,
             what_was_written(at + block.size, behind, heap_tables::kMarginFill), kNoSize, way);
    if (!is_whole_before)
        tell(Fault::Kind::before_start, number, block.address,
             what_was_written(at - before, before, heap_tables::kMarginFill), kNoSize, way);
    fill_margins(block, room.begin, room.end);
}

void check_fill(std::uint32_t number, Block& block) {
    auto* at = reinterpret_cast<unsigned char*>(block.address);
    std::uint64_t count = filled_at_death(block);
    if (is_all(at, count, heap_tables::kDeathFill)) return;
    tell(Fault::Kind::written_after, number, block.address,
         what_was_written(at, count, heap_tables::kDeathFill), kNoSize, Way::none);
}

// ---- slots that are free

// What is exchanged at once. Long lists would be memory that nobody uses, and slots that the
// processor has forgotten.
constexpr std::uint32_t kBatchBytes = 8 << 10;

std::uint32_t batch_of(unsigned size) {
    std::uint32_t fit = kBatchBytes / slot_size(size);
    return fit < 1 ? 1 : fit > 32 ? 32 : fit;
}

std::uint32_t slots_of_span(std::uint32_t slot) {
    std::uint32_t slots = (64u << 10) / slot;
    return slots < 8 ? 8 : slots;
}

// Takes a batch from what all threads share, or from memory that nobody has had.
bool refill(Thread& thread, unsigned size) {
    Shared::Size& all = shared.sizes[size];
    List& list = thread.free[size];
    Holding holding(all.lock);
    for (std::uint32_t wanted = batch_of(size); wanted; --wanted) {
        std::uint32_t number = all.free.pop();
        if (!number) {
            if (!all.carved || all.carved_slots == all.carved->slots) {
                Holding with_spans(spans.lock());
                all.carved = spans.many(slot_size(size), slots_of_span(slot_size(size)));
                all.carved_slots = 0;
                if (!all.carved) break;
            }
            number = all.carved->first + all.carved_slots++;
        }
        list.push(number);
    }
    return list.first != 0;
}

void give_to_all(unsigned size, List& list, std::uint32_t left) {
    if (list.count <= left) return;
    Shared::Size& all = shared.sizes[size];
    Holding holding(all.lock);
    while (list.count > left) all.free.push(list.pop());
}

void give_back_slot(Thread& thread, std::uint32_t number) {
    Block& block = spans.record(number);
    unsigned size = size_class(spans.span(block.span).slot);
    block.state = State::empty;
    List& list = thread.free[size];
    list.push(number);
    std::uint32_t batch = batch_of(size);
    if (list.count > 2 * batch) give_to_all(size, list, batch);
}

// ---- what is kept back

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

Batch* empty_batch() {
    Holding holding(shared.kept_lock);
    Batch* batch = shared.unused;
    if (batch)
        shared.unused = batch->next_unused;
    else
        batch = reinterpret_cast<Batch*>(shared.batch_memory.add(sizeof(Batch)));
    return batch;
}

void keep_back(Thread& thread, std::uint32_t number, const Block& block) {
    if (!thread.kept && !(thread.kept = empty_batch())) return give_back_slot(thread, number);
    thread.kept->add(number, block.size);
    if (thread.kept->bytes > kThreadKeeps || thread.kept->count == Batch::kMost) hand_over(thread);
}

// ---- counts

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

// ---- births

void write_record(Block& block, Thread& thread, std::uint64_t address, std::uint64_t size, Way way,
                  const Caller& caller, bool is_guarded) {
    block.address = address;
    block.size = size;
    block.number = ++thread.births;
    block.check = check_of(block);
    block.born = __rdtsc();
    block.died = 0;
    block.born_stack = stacks.number_of(caller);
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

void* no_memory() {
    errno = ENOMEM;
    return nullptr;
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

constexpr std::uint64_t kContentKept = 64 << 10;  // bytes: of a larger freed one it is given back
constexpr std::uint64_t kGuardsAlive = 4000;      // each takes two of the kernel's mappings

bool is_to_be_guarded(std::uint64_t size) {
    if (size < options.guard_least || size > options.guard_most) return false;
    if (__atomic_load_n(&head.guard_births, __ATOMIC_RELAXED) == 0) return false;
    if (__atomic_load_n(&shared.alone, __ATOMIC_RELAXED) >= kGuardsAlive) return false;
    if (options.guard_every <= 1) return true;
    static std::uint64_t count = 0;
    return __atomic_add_fetch(&count, 1, __ATOMIC_RELAXED) % options.guard_every == 0;
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
    std::uint64_t address = (end - size) & ~(alignment - 1);
    Block& block = spans.record(span->first);
    write_record(block, thread, address, size, way, caller, true);
    fill_margins(block, span->begin, end);
    if (way == Way::calloc && size >= (64u << 10))
        give_back_content(up_to(address, kPage), (end - up_to(address, kPage)) & ~(kPage - 1));
    fill_at_birth(block, way);
    make_live(block);
    count_birth(thread, block);
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
    return reinterpret_cast<void*>(address);
}

// ---- deaths

struct Meant {
    std::uint32_t number = 0;  // of the record; 0: in no span
    Block* block = nullptr;
    const Span* span = nullptr;
};
Meant meant_by(std::uint64_t address) {
    const Span* span = spans.holding(address);
    if (!span) return {};
    std::uint32_t slot = 0;
    if (!span->is_alone) {
        slot = span->slot_at(address);
        if (slot && span->slot_begin(slot) > address) --slot;
        if (slot >= span->slots) return {};
    }
    std::uint32_t number = span->first + slot;
    return {number, &spans.record(number), span};
}

bool are_partners(Way birth, Way death) {
    if (death == Way::delete_object) return birth == Way::new_object;
    if (death == Way::delete_array) return birth == Way::new_array;
    return birth != Way::new_object && birth != Way::new_array;
}

// False: it cannot be freed, and somebody was told.
bool may_die(const Meant& meant, std::uint64_t address, Way way, std::uint64_t given) {
    if (!meant.block || meant.block->address == 0) {
        tell(Fault::Kind::no_block, 0, address, {}, given, way);
        return false;
    }
    const Block& block = *meant.block;
    State state = __atomic_load_n(&block.state, __ATOMIC_ACQUIRE);
    if (state == State::live && block.address == address) {
        if (!are_partners(block.born_way, way))
            tell(Fault::Kind::wrong_partner, meant.number, address, {}, given, way);
        else if (given != kNoSize && given != block.size)
            tell(Fault::Kind::wrong_size, meant.number, address, {}, given, way);
        return true;
    }
    bool is_inside = address != block.address;
    if (state == State::empty)
        // Its history is gone: it was given back some time ago, or never was.
        tell(Fault::Kind::no_block, 0, address, {}, given, way);
    else
        tell(is_inside ? Fault::Kind::inside : Fault::Kind::freed_twice, meant.number, address, {},
             given, way);
    return false;
}

void keep_alone(std::uint32_t number, Block& block, const Span& span) {
    if (span.bytes > kContentKept) give_back_content(span.begin, span.bytes);
    make_untouchable(span.begin, span.bytes);
    __atomic_sub_fetch(&shared.alone, 1, __ATOMIC_RELAXED);
    Holding holding(spans.alone_lock());
    block.next = 0;
    (shared.kept_alone_last ? spans.record(shared.kept_alone_last).next : shared.kept_alone_first) =
        number;
    shared.kept_alone_last = number;
    ++shared.kept_alone;
    if (span.bytes <= kContentKept) shared.alone_bytes_kept += span.bytes;
    while (shared.kept_alone > 1 && shared.alone_bytes_kept > options.keep_bytes)
        release_oldest_alone();
}

void die(Thread& thread, const Meant& meant, Way way, const Caller& caller) {
    Block& block = *meant.block;
    check_margins(meant.number, block, *meant.span, way);
    block.died = __rdtsc();
    block.died_stack = stacks.number_of(caller);
    block.died_thread = thread.number;
    block.died_way = way;
    count_death(thread, block);
    if (meant.span->is_alone) {
        __atomic_store_n(&block.state, State::kept, __ATOMIC_RELEASE);
        return keep_alone(meant.number, block, *meant.span);
    }
    __builtin_memset(reinterpret_cast<void*>(block.address), heap_tables::kDeathFill,
                     filled_at_death(block));
    __atomic_store_n(&block.state, State::kept, __ATOMIC_RELEASE);
    keep_back(thread, meant.number, block);
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

void died(void* address, Way way, std::uint64_t given, const Caller& caller) {
    if (!address) return;
    Thread* thread = this_thread();
    if (!thread) return;
    auto at = reinterpret_cast<std::uint64_t>(address);
    Meant meant = meant_by(at);
    if (may_die(meant, at, way, given)) die(*thread, meant, way, caller);
}

// It always moves: a pointer to the old place that is used afterwards is a fault, and shall show.
// Only what is very large stays where it is as long as it has room.
void* reborn(void* address, std::uint64_t size, const Caller& caller) {
    if (!address) return born(size, kMargin, Way::realloc, caller);
    Thread* thread = this_thread();
    if (!thread) return no_memory();
    auto at = reinterpret_cast<std::uint64_t>(address);
    Meant meant = meant_by(at);
    if (!may_die(meant, at, Way::realloc, kNoSize)) return no_memory();
    if (size == 0) {
        die(*thread, meant, Way::realloc, caller);
        return nullptr;
    }
    std::uint64_t old_size = meant.block->size;
    void* moved = born(size, kMargin, Way::realloc, caller);
    if (!moved) return nullptr;
    __builtin_memcpy(moved, address, old_size < size ? old_size : size);
    die(*thread, meant, Way::realloc, caller);
    return moved;
}

std::uint64_t size_of(const void* address) {
    auto at = reinterpret_cast<std::uint64_t>(address);
    Meant meant = at && has_begun() ? meant_by(at) : Meant{};
    bool is_one = meant.block && meant.block->address == at && meant.block->state == State::live;
    return is_one ? meant.block->size : 0;
}

// ---- the process

void begin_thread_ends() {
    has_thread_key = pthread_key_create(&thread_key, leave_thread) == 0;
    if (has_thread_key && own_thread) pthread_setspecific(thread_key, own_thread);
}

void turn_off() {
    head.is_on = 0;
}

void before_fork() {
    has_begun();
    shared.fault_lock.take();
    shared.threads_lock.take();
    shared.kept_lock.take();
    for (Shared::Size& size : shared.sizes) size.lock.take();
    spans.alone_lock().take();
    spans.lock().take();
    stacks.lock().take();
    pictures_lock().take();
}

void after_fork() {
    pictures_lock().leave();
    stacks.lock().leave();
    spans.lock().leave();
    spans.alone_lock().leave();
    for (Shared::Size& size : shared.sizes) size.lock.leave();
    shared.kept_lock.leave();
    shared.threads_lock.leave();
    shared.fault_lock.leave();
}

}  // namespace lantern::heap_library
