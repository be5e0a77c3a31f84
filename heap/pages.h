// Memory from the kernel: parts of the address space that are taken at the start and filled from
// their beginning. The calls leave errno alone: a program does not expect free to change it.
#pragma once

#include <cstddef>
#include <cstdint>

namespace lantern::heap_library {

inline constexpr std::uint64_t kPage = 4096;
constexpr std::uint64_t up_to(std::uint64_t value, std::uint64_t multiple) {
    return (value + multiple - 1) / multiple * multiple;
}

// How much address space the process may have (ulimit -v); all ones where that is not limited.
std::uint64_t most_address_space();
// 0 where the kernel gives none.
std::uint64_t reserve(std::uint64_t bytes);
// Fills a list with what was taken, at most so many. For whoever looks for pointers: none are
// there.
struct Reserved {
    std::uint64_t begin, end;
};
std::size_t all_reserved(Reserved* into, std::size_t most);
bool make_usable(std::uint64_t begin, std::uint64_t bytes);
bool make_untouchable(std::uint64_t begin, std::uint64_t bytes);
void give_back_content(std::uint64_t begin, std::uint64_t bytes);  // it reads as zero from then on

// Grows into what was reserved for it, and never moves. One thread at a time.
struct Growing {
    std::uint64_t begin = 0, used = 0, usable = 0, limit = 0;  // bytes from the beginning

    // So many bytes of the address space, or as many of them as there are, but no fewer than 1 MB.
    bool take(std::uint64_t bytes) {
        constexpr std::uint64_t kLeast = 1 << 20;
        for (limit = bytes; limit >= kLeast; limit /= 2)
            if ((begin = reserve(limit))) return true;
        return false;
    }
    // Where the bytes are; 0: there is no more.
    std::uint64_t add(std::uint64_t bytes);
};

class Lock {
  public:
    void take() {
        if (!take_if_free()) wait();
    }
    // Never by an exchange: that would forget that somebody waits.
    bool take_if_free() {
        std::uint32_t free = 0;
        return __atomic_compare_exchange_n(&word_, &free, 1, false, __ATOMIC_ACQUIRE,
                                           __ATOMIC_RELAXED);
    }
    void leave() {
        if (__atomic_exchange_n(&word_, 0, __ATOMIC_RELEASE) == 2) wake();
    }
    void forget() { word_ = 0; }

  private:
    void wait();
    void wake();
    std::uint32_t word_ = 0;  // 0 free, 1 taken, 2 taken and somebody waits
};

class Holding {
  public:
    explicit Holding(Lock& lock) : lock_(lock) { lock_.take(); }
    ~Holding() { lock_.leave(); }
    Holding(const Holding&) = delete;
    Holding& operator=(const Holding&) = delete;

  private:
    Lock& lock_;
};

}  // namespace lantern::heap_library
