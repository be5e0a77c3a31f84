// Spans of pages, and which of them an address is in. (For blocks.cpp.)
#pragma once

#include "heap/pages.h"
#include "heap/tables.h"

namespace lantern::heap_library {

using heap_tables::Block;

struct Span {
    std::uint64_t begin, bytes;  // without the page behind it that nobody may touch
    std::uint32_t slot, slots;   // bytes of each, and how many; one slot where it holds one block
    std::uint32_t first;         // number of the record of the first
    std::uint32_t next;          // of a list of spans that wait to be used again
    std::uint64_t reciprocal;    // of the size of a slot, in 2^-40
    bool is_alone;               // it holds one block

    std::uint32_t slot_at(std::uint64_t address) const {
        // A span of many slots measures 2 MB at most: no product passes 64 bits.
        return static_cast<std::uint32_t>((address - begin) * reciprocal >> 40);
    }
    std::uint64_t slot_begin(std::uint32_t number) const {
        return begin + std::uint64_t{number} * slot;
    }
};

class Spans {
  public:
    bool begin(heap_tables::Head& head);
    // With that many slots of that size, in usable memory. Null: there is no more.
    Span* many(std::uint32_t slot, std::uint32_t slots);
    // For one block, with a page behind it that nobody may touch. `is_guard` says that the kernel
    // was the one to refuse, where there is none.
    Span* alone(std::uint64_t bytes, bool& is_refused);
    // It may be used again. Nobody may touch its pages.
    void put_back(Span& span);

    Span* holding(std::uint64_t address) const {
        if (address < area_ || address >= area_end_) return nullptr;
        std::uint32_t number =
            __atomic_load_n(&of_page_[(address - area_) / kPage], __ATOMIC_ACQUIRE);
        return number ? &spans()[number] : nullptr;
    }
    Block& record(std::uint32_t number) const {
        return reinterpret_cast<Block*>(records_.begin)[number];
    }
    Span& span(std::uint32_t number) const { return spans()[number]; }
    Lock& lock() { return lock_; }
    Lock& alone_lock() { return alone_lock_; }

  private:
    static constexpr unsigned kSizes =
        40;  // of spans that wait: by the power of two of their pages
    Span* spans() const { return reinterpret_cast<Span*>(span_memory_.begin); }
    Span* add(std::uint64_t begin, std::uint64_t bytes, std::uint32_t slot, std::uint32_t slots);
    Span* one_that_waits(std::uint64_t bytes);

    std::uint64_t area_ = 0, area_end_ = 0;
    Growing small_, alone_;  // the two halves of the area
    Growing records_, span_memory_;
    std::uint32_t* of_page_ = nullptr;
    std::uint32_t waiting_[kSizes] = {};
    heap_tables::Head* head_ = nullptr;
    Lock lock_, alone_lock_;
};

}  // namespace lantern::heap_library
