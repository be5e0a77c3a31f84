// Telling the session what was found, and what it asked for: by a call that it has a breakpoint in.
#include "heap/shared.h"

#include <x86intrin.h>

// Not empty, or the compiler would leave the calls out.
extern "C" __attribute__((visibility("default"), noinline)) void elm_lantern_heap_found() {
    __asm__ volatile("" ::: "memory");
}

extern "C" __attribute__((visibility("default"), noinline)) void elm_lantern_heap_asked() {
    __asm__ volatile("" ::: "memory");
}

namespace lantern::heap_library {

void tell(Fault::Kind kind, std::uint32_t block, std::uint64_t address, Written written,
          std::uint64_t given, Way way) {
    Holding holding(shared.fault_lock);
    head.fault = {
        kind, block, address, written.at, written.bytes, given, static_cast<std::uint32_t>(way), 0};
    head.seen_ticks = __rdtsc();
    head.seen_ns = now_ns();
    elm_lantern_heap_found();
}

void answer_asked(std::uint32_t number, bool is_death) {
    for (std::size_t i = 0; i < head.asked_count && i < heap_tables::kMostAsked; ++i) {
        if (!heap_tables::is_asked(head.asked[i], spans.record(number), is_death)) continue;
        Holding holding(shared.fault_lock);
        head.met = {number, is_death};
        elm_lantern_heap_asked();
        return;
    }
}

}  // namespace lantern::heap_library
