// Slots that are free, by size: each thread has lists of its own, and exchanges batches with all.
#include "heap/shared.h"

namespace lantern::heap_library {

namespace {

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

}  // namespace

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

}  // namespace lantern::heap_library
