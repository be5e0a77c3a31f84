#include "heap/pages.h"

#include <linux/futex.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <sys/syscall.h>

namespace lantern::heap_library {
namespace {

long kernel(long number, long a, long b, long c, long d = 0, long e = 0, long f = 0) {
    long result;
    register long r10 __asm__("r10") = d;
    register long r8 __asm__("r8") = e;
    register long r9 __asm__("r9") = f;
    __asm__ volatile("syscall"
                     : "=a"(result)
                     : "a"(number), "D"(a), "S"(b), "d"(c), "r"(r10), "r"(r8), "r"(r9)
                     : "rcx", "r11", "memory");
    return result;
}

bool protect(std::uint64_t begin, std::uint64_t bytes, int how) {
    return kernel(SYS_mprotect, static_cast<long>(begin), static_cast<long>(bytes), how) == 0;
}

constexpr std::uint64_t kStep = 1 << 20, kLarge = 4 << 20;
constexpr std::size_t kMostReserved = 16;
constinit Reserved reserved[kMostReserved]{};
std::size_t reserved_count = 0;

}  // namespace

std::uint64_t most_address_space() {
    rlimit limit{};
    long failed = kernel(SYS_prlimit64, 0, RLIMIT_AS, 0, reinterpret_cast<long>(&limit));
    return failed || limit.rlim_cur == RLIM_INFINITY ? ~std::uint64_t{0} : limit.rlim_cur;
}

std::uint64_t reserve(std::uint64_t bytes) {
    long at = kernel(SYS_mmap, 0, static_cast<long>(bytes), PROT_NONE,
                     MAP_PRIVATE | MAP_ANONYMOUS | MAP_NORESERVE, -1, 0);
    if (at < 0 && at > -4096) return 0;
    auto begin = static_cast<std::uint64_t>(at);
    if (reserved_count < kMostReserved) reserved[reserved_count++] = {begin, begin + bytes};
    return begin;
}

std::size_t all_reserved(Reserved* into, std::size_t most) {
    std::size_t count = reserved_count < most ? reserved_count : most;
    for (std::size_t i = 0; i < count; ++i) into[i] = reserved[i];
    return count;
}

bool make_usable(std::uint64_t begin, std::uint64_t bytes) {
    return protect(begin, bytes, PROT_READ | PROT_WRITE);
}

bool make_untouchable(std::uint64_t begin, std::uint64_t bytes) {
    return protect(begin, bytes, PROT_NONE);
}

void give_back_content(std::uint64_t begin, std::uint64_t bytes) {
    kernel(SYS_madvise, static_cast<long>(begin), static_cast<long>(bytes), MADV_DONTNEED);
}

std::uint64_t Growing::add(std::uint64_t bytes) {
    if (bytes > limit - used) return 0;
    if (used + bytes > usable) {
        // What has become large is likely to become larger: large pages save the processor from
        // looking up small ones.
        bool is_large = used >= kLarge;
        std::uint64_t wanted = up_to(used + bytes - usable, is_large ? kLarge : kStep);
        if (wanted > limit - usable) wanted = limit - usable;
        if (!make_usable(begin + usable, wanted)) return 0;
        if (is_large)
            kernel(SYS_madvise, static_cast<long>(begin + usable), static_cast<long>(wanted),
                   MADV_HUGEPAGE);
        usable += wanted;
    }
    std::uint64_t at = begin + used;
    used += bytes;
    return at;
}

void Lock::wait() {
    for (int i = 0; i < 100; ++i) {
        if (!__atomic_load_n(&word_, __ATOMIC_RELAXED) && take_if_free()) return;
        __builtin_ia32_pause();
    }
    while (__atomic_exchange_n(&word_, 2, __ATOMIC_ACQUIRE))
        kernel(SYS_futex, reinterpret_cast<long>(&word_), FUTEX_WAIT_PRIVATE, 2);
}

void Lock::wake() {
    kernel(SYS_futex, reinterpret_cast<long>(&word_), FUTEX_WAKE_PRIVATE, 1);
}

}  // namespace lantern::heap_library
