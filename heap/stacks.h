// Each stack of calls is written down once; a block keeps the number of it.
#pragma once

#include "heap/callers.h"
#include "heap/pages.h"
#include "heap/tables.h"

namespace lantern::heap_library {

// The ways up that a thread has found last: a loop asks from the same place again and again.
class LastWays {
  public:
    // 0: it is another way, or was not kept.
    std::uint32_t find(const Caller& caller) const;
    void keep(const Caller& caller, const WayUp& way, std::uint32_t number);
    void forget() {
        for (Kept& kept : kept_) kept.back = 0;
    }

  private:
    static constexpr std::size_t kWays = 64, kWords = 30;
    struct Kept {
        std::uint64_t back, stack, base;
        std::uint32_t number, generation;
        std::uint32_t words_count;
        bool needs_base;
        WayUp::Word words[kWords];
    } kept_[kWays];
    static std::size_t place(const Caller& caller) {
        return ((caller.back ^ caller.stack << 7) * 0x9e3779b97f4a7c15) >> 58;
    }
};

class Stacks {
  public:
    bool begin();  // false: there is no memory
    // Bytes from the beginning of all; 0 where there is no more room.
    std::uint32_t number_of(const Caller& caller, LastWays& last);
    // One of its calls lies in the code that the session has named.
    bool is_of_named_place(std::uint32_t number);
    heap_tables::Stack& at(std::uint32_t number) {
        return *reinterpret_cast<heap_tables::Stack*>(memory_.begin + number);
    }
    std::uint64_t address() const { return memory_.begin; }
    std::uint64_t used() const { return __atomic_load_n(&memory_.used, __ATOMIC_ACQUIRE); }
    void forget_locks() { lock_.forget(); }
    Lock& lock() { return lock_; }

  private:
    static constexpr std::uint64_t kBytes = 256 << 20;
    static constexpr std::size_t kPlaces = 1 << 20;  // of the table by hash

    std::uint32_t number_of(const std::uint64_t* calls, std::size_t count);
    std::uint32_t find(std::uint32_t hash, const std::uint64_t* calls, std::size_t count,
                       std::size_t& place) const;
    std::uint32_t add(std::uint32_t hash, const std::uint64_t* calls, std::size_t count);

    Growing memory_;
    std::uint32_t* table_ = nullptr;  // numbers; 0: nothing there
    std::size_t held_ = 0;
    Lock lock_;
};

}  // namespace lantern::heap_library
