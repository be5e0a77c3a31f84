#include "heap/spans.h"

namespace lantern::heap_library {
namespace {

constexpr std::uint64_t kLargestArea = std::uint64_t{256} << 30, kSmallestArea = 64 << 20;

constexpr unsigned kLookedAt = 64;  // spans of about the size that wait

unsigned power_above(std::uint64_t value) {  // of two
    return value <= 1 ? 0 : 64 - static_cast<unsigned>(__builtin_clzll(value - 1));
}

}  // namespace

bool Spans::begin(heap_tables::Head& head) {
    head_ = &head;
    // The records take about as much again, and the program needs some for itself.
    std::uint64_t bytes = kLargestArea, most = most_address_space() / 8;
    while (bytes > most) bytes /= 2;
    while (bytes >= kSmallestArea && !(area_ = reserve(bytes))) bytes /= 2;  // ulimit -v
    if (!area_) return false;
    area_end_ = area_ + bytes;
    small_ = {area_, 0, 0, bytes / 2};
    alone_ = {area_ + bytes / 2, 0, 0, bytes / 2};
    std::uint64_t table = reserve(bytes / kPage * sizeof(std::uint32_t));
    if (!table || !make_usable(table, bytes / kPage * sizeof(std::uint32_t))) return false;
    of_page_ = reinterpret_cast<std::uint32_t*>(table);
    // As many records as blocks of the smallest size could lie in the area, within reason.
    std::uint64_t records = bytes / 64 < (1u << 28) ? bytes / 64 : 1u << 28;
    if (!records_.take(records * sizeof(Block)) ||
        !span_memory_.take(bytes / kPage / 4 * sizeof(Span)))
        return false;
    span_memory_.add(sizeof(Span));  // number 0: no span
    records_.add(sizeof(Block));     // number 0: no block
    head.area = area_;
    head.area_end = area_end_;
    head.blocks = records_.begin;
    head.blocks_used = 1;
    return true;
}

Span* Spans::add(std::uint64_t begin, std::uint64_t bytes, std::uint32_t slot,
                 std::uint32_t slots) {
    std::uint64_t records = records_.add(slots * sizeof(Block));
    if (!records) return nullptr;
    auto* span = reinterpret_cast<Span*>(span_memory_.add(sizeof(Span)));
    if (!span) return nullptr;
    auto number = static_cast<std::uint32_t>(span - spans());
    *span = {begin,     bytes, slot, slots, 0, 0, ((std::uint64_t{1} << 40) + slot - 1) / slot,
             slots == 1};
    span->first = static_cast<std::uint32_t>((records - records_.begin) / sizeof(Block));
    for (std::uint32_t i = 0; i < slots; ++i) record(span->first + i).span = number;
    for (std::uint64_t page = 0; page < bytes / kPage; ++page)
        __atomic_store_n(&of_page_[(begin - area_) / kPage + page], number, __ATOMIC_RELEASE);
    __atomic_store_n(&head_->blocks_used, records_.used / sizeof(Block), __ATOMIC_RELEASE);
    return span;
}

Span* Spans::many(std::uint32_t slot, std::uint32_t slots) {
    std::uint64_t bytes = up_to(std::uint64_t{slot} * slots, kPage);
    std::uint64_t begin = small_.add(bytes);
    return begin ? add(begin, bytes, slot, slots) : nullptr;
}

Span* Spans::one_that_waits(std::uint64_t bytes) {
    unsigned looked_at = 0;
    for (std::uint32_t* link = &waiting_[power_above(bytes / kPage)];
         *link && looked_at < kLookedAt; link = &span(*link).next, ++looked_at) {
        Span& found = span(*link);
        if (found.bytes != bytes) continue;
        *link = found.next;
        return &found;
    }
    return nullptr;
}

Span* Spans::alone(std::uint64_t bytes, bool& is_refused) {
    bytes = up_to(bytes, kPage);
    is_refused = false;
    if (Span* again = one_that_waits(bytes)) {
        if (make_usable(again->begin, bytes)) return again;
        put_back(*again);
        is_refused = true;
        return nullptr;
    }
    // Its pages were never usable, and the one behind them stays so.
    if (bytes + kPage > alone_.limit - alone_.used) return nullptr;
    std::uint64_t begin = alone_.begin + alone_.used;
    if (!make_usable(begin, bytes)) {
        is_refused = true;
        return nullptr;
    }
    alone_.used += bytes + kPage;
    Holding holding(lock_);
    // Slots are counted in 32 bits: a large block is one whatever it measures.
    Span* span = add(begin, bytes, kPage, 1);
    return span;
}

void Spans::put_back(Span& span) {
    std::uint32_t& first = waiting_[power_above(span.bytes / kPage)];
    span.next = first;
    first = static_cast<std::uint32_t>(&span - spans());
}

}  // namespace lantern::heap_library
