// The requests of the C library's allocator, as a program makes them (C11 §7.22.3, malloc(3)).
#include <errno.h>
#include <stddef.h>

#include "heap/library.h"
#include "heap/next.h"

#define EXPORTED extern "C" __attribute__((visibility("default")))

using namespace lantern::heap_library;

namespace {

bool is_power_of_two(size_t value) {
    return value && !(value & (value - 1));
}

void* refused(int why) {
    errno = why;
    return nullptr;
}

constexpr size_t kPageBytes = 4096;

}  // namespace

EXPORTED void* malloc(size_t size) {
    return born(size, 0, Way::malloc, LANTERN_CALLER);
}

EXPORTED void free(void* address) {
    died(address, Way::free, kNoSize, LANTERN_CALLER);
}

EXPORTED void* calloc(size_t count, size_t size) {
    size_t bytes;
    if (__builtin_mul_overflow(count, size, &bytes)) return refused(ENOMEM);
    return born(bytes, 0, Way::calloc, LANTERN_CALLER);
}

EXPORTED void* realloc(void* address, size_t size) {
    return reborn(address, size, LANTERN_CALLER);
}

EXPORTED void* reallocarray(void* address, size_t count, size_t size) {
    size_t bytes;
    if (__builtin_mul_overflow(count, size, &bytes)) return refused(ENOMEM);
    return reborn(address, bytes, LANTERN_CALLER);
}

EXPORTED int posix_memalign(void** into, size_t alignment, size_t size) {
    if (!is_power_of_two(alignment) || alignment % sizeof(void*) != 0) return EINVAL;
    int before = errno;
    void* made = born(size, alignment, Way::aligned, LANTERN_CALLER);
    errno = before;
    if (!made) return ENOMEM;
    *into = made;
    return 0;
}

EXPORTED void* aligned_alloc(size_t alignment, size_t size) {
    if (!is_power_of_two(alignment)) return refused(EINVAL);
    return born(size, alignment, Way::aligned, LANTERN_CALLER);
}

EXPORTED void* memalign(size_t alignment, size_t size) {
    while (!is_power_of_two(alignment)) ++alignment;
    return born(size, alignment, Way::aligned, LANTERN_CALLER);
}

EXPORTED void* valloc(size_t size) {
    return born(size, kPageBytes, Way::aligned, LANTERN_CALLER);
}

EXPORTED void* pvalloc(size_t size) {
    return born((size + kPageBytes - 1) & ~(kPageBytes - 1), kPageBytes, Way::aligned,
                LANTERN_CALLER);
}

EXPORTED size_t malloc_usable_size(void* address) {
    return size_of(address);
}

// Under these names the C library offers the same.
EXPORTED void* __libc_malloc(size_t size) __attribute__((alias("malloc"), copy(malloc)));
EXPORTED void __libc_free(void* address) __attribute__((alias("free"), copy(free)));
EXPORTED void* __libc_calloc(size_t count, size_t size)
    __attribute__((alias("calloc"), copy(calloc)));
EXPORTED void* __libc_realloc(void* address, size_t size)
    __attribute__((alias("realloc"), copy(realloc)));
EXPORTED void* __libc_memalign(size_t alignment, size_t size)
    __attribute__((alias("memalign"), copy(memalign)));

// A library that is loaded later may lie where this one lay, with other frames.
EXPORTED int dlclose(void* handle) {
    static auto real = next<int (*)(void*)>("dlclose");
    int result = real ? real(handle) : -1;
    forget_rules();
    return result;
}
