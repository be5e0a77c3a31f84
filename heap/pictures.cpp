#include "heap/pictures.h"

#include <x86intrin.h>

namespace lantern::heap_library {
namespace {

using heap_tables::kMostPictures;
using heap_tables::Picture;

constinit Lock lock;
std::uint64_t interval = 8 << 20;  // ticks; it doubles when there are too many
std::uint64_t last_at = 0, last_total = 0;

// A picture looks at all stacks, each in so many ticks or less: at most one part in so many of the
// time is for pictures.
constexpr std::uint64_t kShare = 64, kTicksForAStack = 16;

Picture* pictures(const heap_tables::Head& head) {
    return reinterpret_cast<Picture*>(head.pictures);
}

// Every second one goes, but not the one of the peak.
void thin_out(heap_tables::Head& head) {
    Picture* all = pictures(head);
    std::uint64_t peak = 0, kept = 0;
    for (std::uint64_t i = 0; i < head.pictures_used; ++i)
        if (all[i].total > all[peak].total) peak = i;
    for (std::uint64_t i = 0; i < head.pictures_used; ++i)
        if (i % 2 == 0 || i == peak) all[kept++] = all[i];
    head.pictures_used = kept;
    interval *= 2;
}

// The places with most, by one pass over all stacks. They are listed by number: one does not lead
// to the next, and the processor fetches several at a time.
void take(Picture& picture, Stacks& stacks, std::uint64_t live) {
    picture = {};
    picture.at = __rdtsc();
    picture.total = live;
    const std::uint32_t* numbers = stacks.numbers();
    std::size_t count = stacks.count(), least = 0;
    for (std::size_t i = 0; i < count; ++i) {
        std::uint64_t bytes = __atomic_load_n(&stacks.at(numbers[i]).live_bytes, __ATOMIC_RELAXED);
        if (static_cast<std::int64_t>(bytes) <= 0 || bytes <= picture.places[least].bytes) continue;
        picture.places[least] = {numbers[i], 0, bytes};
        for (std::size_t k = 0; k < Picture::kPlaces; ++k)
            if (picture.places[k].bytes < picture.places[least].bytes) least = k;
    }
}

}  // namespace

bool begin_pictures(heap_tables::Head& head) {
    head.pictures = reserve(kMostPictures * sizeof(Picture));
    return head.pictures && make_usable(head.pictures, kMostPictures * sizeof(Picture));
}

void take_picture_if_due(heap_tables::Head& head, Stacks& stacks, std::uint64_t live,
                         std::uint64_t (*now_ns)()) {
    std::uint64_t now = __rdtsc();
    bool is_far = live > last_total + last_total / 16 || live + last_total / 4 < last_total;
    std::uint64_t wait = is_far ? interval / 8 : interval;
    std::uint64_t least_wait = kShare * kTicksForAStack * stacks.count();
    if (wait < least_wait) wait = least_wait;
    if (now - __atomic_load_n(&last_at, __ATOMIC_RELAXED) < wait) return;
    if (static_cast<std::int64_t>(live) < 0 || !lock.take_if_free()) return;
    if (now - last_at >= wait) {
        Holding stacks_stay(stacks.lock());
        if (head.pictures_used == kMostPictures) thin_out(head);
        take(pictures(head)[head.pictures_used], stacks, live);
        __atomic_store_n(&head.pictures_used, head.pictures_used + 1, __ATOMIC_RELEASE);
        last_total = live;
        __atomic_store_n(&last_at, now, __ATOMIC_RELAXED);
        head.seen_ticks = now;
        head.seen_ns = now_ns();
    }
    lock.leave();
}

Lock& pictures_lock() {
    return lock;
}

}  // namespace lantern::heap_library
