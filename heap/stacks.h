// Each stack of calls is written down once; a block keeps the number of it.
#pragma once

#include "heap/callers.h"
#include "heap/pages.h"
#include "heap/tables.h"

namespace lantern::heap_library {

// The ways up that a thread has found last: a loop asks from the same places again and again. One
// place is often come to in several ways at one depth (an interpreter calls all it does from one
// loop): so a set keeps some of them.
class LastWays {
  public:
    // 0: it is another way, or was not kept.
    std::uint32_t find(const Caller& caller) const;
    void keep(const Caller& caller, const WayUp& way, std::uint32_t number);
    void forget() {
        for (Set& set : sets_) set = {};
    }

  private:
    static constexpr std::size_t kSets = 64, kWays = 8, kWords = 30;
    struct Words {  // of the stack
        std::uint64_t base;
        std::uint32_t number, generation;
        std::uint32_t count;
        bool needs_base;
        std::uint32_t offsets[kWords];  // from the caller's stack pointer, in bytes
        std::uint64_t values[kWords];
    };
    struct Set {
        std::uint64_t backs[kWays], stacks[kWays];  // 0: none
        std::size_t oldest;
    };
    // The words lie apart: most are never needed, and forgetting does not touch their memory.
    Set sets_[kSets];
    Words words_[kSets][kWays];

    static bool holds(const Words& words, const Caller& caller);
    static std::size_t place(const Caller& caller) {
        return ((caller.back ^ caller.stack << 7) * 0x9e3779b97f4a7c15) >> 58;
    }
};

class Stacks {
  public:
    bool begin();  // false: there is no memory
    // Bytes from the beginning of all; 0 where there is no more room.
    // No last ways: each is found anew.
    std::uint32_t number_of(const Caller& caller, LastWays* last);
    // One of its calls lies in the code that the session has named.
    bool is_of_named_place(std::uint32_t number);
    heap_tables::Stack& at(std::uint32_t number) {
        return *reinterpret_cast<heap_tables::Stack*>(memory_.begin + number);
    }
    // All of them, in the order of their making.
    const std::uint32_t* numbers() const {
        return reinterpret_cast<const std::uint32_t*>(numbers_.begin);
    }
    std::size_t count() const {
        return __atomic_load_n(&numbers_.used, __ATOMIC_RELAXED) / sizeof(std::uint32_t);
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

    Growing memory_, numbers_;
    std::uint32_t* table_ = nullptr;  // numbers; 0: nothing there
    Lock lock_;
};

}  // namespace lantern::heap_library
