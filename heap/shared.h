// What the parts of the library share: sizes, lists, what each thread has, and what all have. (For
// its own files; see library.h for how blocks lie.)
#pragma once

#include <emmintrin.h>
#include <errno.h>

#include "heap/library.h"
#include "heap/spans.h"
#include "heap/stacks.h"
#include "heap/wishes.h"

// The session finds it by name. Its members are set when the first block is born.
extern "C" __attribute__((visibility("default"))) lantern::heap_tables::Head elm_lantern_heap;

namespace lantern::heap_library {

using heap_tables::Block;
using heap_tables::Fault;
using heap_tables::kMargin;
using heap_tables::State;

inline heap_tables::Head& head = elm_lantern_heap;
extern Options options;
extern Spans spans;
extern Stacks stacks;

// ---- sizes of slots: steps of 16 bytes up to 128, then eight to each doubling

constexpr std::uint32_t kLastFine = 128, kLargestSlot = 256 << 10;
constexpr unsigned kLastFinePower = 7, kFineSizes = kLastFine / 16 + 1,
                   kSizes = kFineSizes + 8 * 11;

inline unsigned size_class(std::uint64_t slot) {
    if (slot <= kLastFine) return static_cast<unsigned>((slot + 15) / 16);
    unsigned power = 63 - static_cast<unsigned>(__builtin_clzll(slot - 1));
    return kFineSizes + (power - kLastFinePower) * 8 +
           static_cast<unsigned>((slot - 1) >> (power - 3) & 7);
}

inline std::uint32_t slot_size(unsigned number) {
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
    Batch* next = nullptr;  // the next newer one; or of those that are not used
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

// Batches of one thread, the oldest first. Who frees asks again soon, and its processor has those
// blocks near: so each thread gives out again what it freed itself.
struct Kept {
    Lock lock;
    Batch *oldest = nullptr, *newest = nullptr;
    std::uint64_t bytes = 0;
};

struct Thread {
    heap_tables::Counts counts{};  // first: the session reads them
    std::uint16_t number = 0;
    std::uint64_t births = 0, births_told = 0;
    Batch* filling = nullptr;
    Kept kept;
    List free[kSizes];
    static constexpr std::size_t kPending = 64;
    Pending pending[kPending];
    LastWays* ways = nullptr;  // null: there was no memory for them
    Thread* next_idle = nullptr;
};

// ---- what all threads share. The first block may be born before the constructors of this library
// run: whatever lives from the start is constant-initialised.

struct Shared {
    struct Size {
        Lock lock;
        List free;
        Span* carved = nullptr;  // the span that new slots are taken from
        std::uint32_t carved_slots = 0;
    } sizes[kSizes];

    // Batches of freed blocks.
    static constexpr std::uint32_t kBatches = 1 << 17;
    std::uint64_t kept_bytes = 0;  // of all threads; what a thread is filling is not in it
    Lock batches_lock;
    Batch* unused = nullptr;
    Growing batch_memory;

    // Those with a page of their own behind them, the oldest first.
    std::uint32_t kept_alone_first = 0, kept_alone_last = 0;
    std::uint64_t kept_alone = 0, alone = 0, alone_bytes_kept = 0;

    Lock threads_lock;
    Growing thread_memory, ways_memory;
    Thread* idle = nullptr;
    Lock fault_lock;
};
extern Shared shared;

// Those that have ended too, until another takes their place. Not counted by the head, which a
// program may write over.
struct AllThreads {
    std::uint64_t first, count;
    Thread* begin() const { return reinterpret_cast<Thread*>(first); }
    Thread* end() const { return begin() + count; }
};
inline AllThreads all_threads() {
    return {shared.thread_memory.begin,
            __atomic_load_n(&shared.thread_memory.used, __ATOMIC_ACQUIRE) / sizeof(Thread)};
}

// ---- threads.cpp: the beginning, and what belongs to a thread

extern __attribute__((tls_model("initial-exec"))) thread_local Thread* own_thread;
bool has_begun();
Thread* begin_thread();  // null: there is no memory
inline Thread* this_thread() {
    Thread* thread = own_thread;
    return __builtin_expect(thread != nullptr, 1) ? thread : begin_thread();
}
std::uint64_t now_ns();

inline void* no_memory() {
    errno = ENOMEM;
    return nullptr;
}

// ---- slots.cpp: those that are free

bool refill(Thread& thread, unsigned size);
void give_to_all(unsigned size, List& list, std::uint32_t left);
void give_back_slot(Thread& thread, std::uint32_t number);

// ---- deaths.cpp

struct Meant {
    std::uint32_t number = 0;  // of the record; 0: in no span
    Block* block = nullptr;
    const Span* span = nullptr;
};
// The block whose room an address lies in, its margins too.
Meant meant_by(std::uint64_t address);

// ---- kept_back.cpp: what is freed and not given out again yet

void keep_back(Thread& thread, std::uint32_t number, const Block& block);
void hand_over(Thread& thread);
// The same of blocks that have a span for themselves: nobody may touch their pages.
void keep_back_alone(std::uint32_t number, const Span& span);
void release_oldest_alone();
constexpr std::uint64_t kGuardsAlive = 4000;  // each takes two of the kernel's mappings

// ---- counts.cpp: what lives

void count_birth(Thread& thread, const Block& block);
void count_death(Thread& thread, const Block& block);
void add_pending(Thread& thread);

// ---- fills.cpp: margins and fills, and who wrote into them

// For some hundred bytes at a time, where the processor's own string instructions take long to
// begin.
inline void fill(void* from, std::uint64_t count, unsigned char byte) {
    auto* at = static_cast<unsigned char*>(from);
    __m128i pattern = _mm_set1_epi8(static_cast<char>(byte));
    auto store = [&](std::uint64_t i) {
        _mm_storeu_si128(reinterpret_cast<__m128i*>(at + i), pattern);
    };
    std::uint64_t i = 0;
    for (; i + 64 <= count; i += 64) {
        store(i);
        store(i + 16);
        store(i + 32);
        store(i + 48);
    }
    for (; i + 16 <= count; i += 16) store(i);
    if (i == count) return;
    if (count >= 16) return store(count - 16);
    for (; i < count; ++i) at[i] = byte;
}

void fill_margins(const Block& block, std::uint64_t begin, std::uint64_t end);
inline std::uint64_t filled_at_death(const Block& block) {
    return block.size < heap_tables::kDeathFilled ? block.size : heap_tables::kDeathFilled;
}
void check_margins(std::uint32_t number, Block& block, const Span& span, Way way);
void check_fill(std::uint32_t number, Block& block);

// ---- faults.cpp: telling the session

struct Written {
    std::uint64_t at = 0, bytes = 0;  // from the first byte that differs to the last
};
void tell(Fault::Kind kind, std::uint32_t block, std::uint64_t address, Written written,
          std::uint64_t given, Way way);
void answer_asked(std::uint32_t number, bool is_death);

}  // namespace lantern::heap_library
