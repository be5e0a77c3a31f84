// The beginning of the library, with the first request; the threads that ask; and forks.
#include "heap/shared.h"

#include <pthread.h>
#include <time.h>
#include <x86intrin.h>

#include "heap/pictures.h"
#include "heap/process.h"

constinit lantern::heap_tables::Head elm_lantern_heap{};

namespace lantern::heap_library {

constinit Options options;
constinit Spans spans;
constinit Stacks stacks;
constinit Shared shared;
constinit thread_local Thread* own_thread = nullptr;

std::uint64_t now_ns() {
    timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return static_cast<std::uint64_t>(now.tv_sec) * 1000000000 +
           static_cast<std::uint64_t>(now.tv_nsec);
}

namespace {

enum class Begun : int { no, yes, failed };
Begun begun = Begun::no;
constinit Lock begin_lock;

bool begin_all() {
    options = read_options();
    if (!spans.begin(head) || !stacks.begin() || !begin_pictures(head)) return false;
    if (!shared.thread_memory.take(std::uint64_t{65536} * sizeof(Thread)) ||
        !shared.ways_memory.take(std::uint64_t{8192} * sizeof(LastWays)) ||
        !shared.batch_memory.take(std::uint64_t{Shared::kBatches} * sizeof(Batch)))
        return false;
    head.counts = shared.thread_memory.begin;
    head.counts_apart = sizeof(Thread);
    head.stacks = stacks.address();
    head.stacks_used = stacks.used();
    head.guard_births = head.guard_wish = options.guard_births;
    head.guard_page = options.guard_page;
    head.start_ticks = head.seen_ticks = __rdtsc();
    head.start_ns = head.seen_ns = now_ns();
    Reserved own[heap_tables::kOwnRanges];
    std::size_t owned = all_reserved(own, heap_tables::kOwnRanges);
    for (std::size_t i = 0; i < owned; ++i)
        if (own[i].begin != head.area) head.own[i] = {own[i].begin, own[i].end};
    head.size_of_head = sizeof head;
    head.size_of_block = sizeof(Block);
    __atomic_store_n(&head.mark, heap_tables::kMark, __ATOMIC_RELEASE);
    return true;
}

}  // namespace

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

namespace {

pthread_key_t thread_key;
bool has_thread_key = false;

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

}  // namespace

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
            thread->ways = reinterpret_cast<LastWays*>(shared.ways_memory.add(sizeof(LastWays)));
            ++head.counts_used;
        }
        // What the last one with this memory has counted is not this one's.
        thread->births = thread->births_told = 0;
        if (thread->ways) thread->ways->forget();  // its stack lies elsewhere
        thread->number = static_cast<std::uint16_t>(++head.threads);
        own_thread = thread;
    }
    if (has_thread_key) pthread_setspecific(thread_key, own_thread);
    return own_thread;
}

void begin_thread_ends() {
    has_thread_key = pthread_key_create(&thread_key, leave_thread) == 0;
    if (has_thread_key && own_thread) pthread_setspecific(thread_key, own_thread);
}

// Of the C library: its list of open files, which fork(2) holds too. Who flushes all files holds it
// and may ask for memory: it comes before our locks, as it comes before those of the C library's
// own allocator.
extern "C" {
[[gnu::weak]] void _IO_list_lock();
[[gnu::weak]] void _IO_list_unlock();
[[gnu::weak]] void _IO_list_resetlock();
}

void before_fork() {
    has_begun();
    if (_IO_list_lock) _IO_list_lock();
    shared.fault_lock.take();
    shared.threads_lock.take();
    for (Thread& thread : all_threads()) thread.kept.lock.take();
    shared.batches_lock.take();
    for (Shared::Size& size : shared.sizes) size.lock.take();
    spans.alone_lock().take();
    spans.lock().take();
    pictures_lock().take();  // who takes a picture holds it, and waits for the stacks
    stacks.lock().take();
}

namespace {

void leave_all() {
    stacks.lock().leave();
    pictures_lock().leave();
    spans.lock().leave();
    spans.alone_lock().leave();
    for (Shared::Size& size : shared.sizes) size.lock.leave();
    shared.batches_lock.leave();
    for (Thread& thread : all_threads()) thread.kept.lock.leave();
    shared.threads_lock.leave();
    shared.fault_lock.leave();
}

}  // namespace

void after_fork_here() {
    leave_all();
    if (_IO_list_unlock) _IO_list_unlock();
}

// The C library has made its list new in the child of a program with threads, and not in any other:
// both are right then.
void after_fork_in_child() {
    leave_all();
    if (_IO_list_resetlock) _IO_list_resetlock();
}

}  // namespace lantern::heap_library
