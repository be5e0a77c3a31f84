// C++'s new and delete in every form (C++20 §17.6.3), so that it is known which of them a block
// belongs to. A program that brings operators of its own keeps them: then all go to where they
// would have gone.
#include <cstddef>

#include "heap/library.h"
#include "heap/next.h"

#define EXPORTED extern "C" __attribute__((visibility("default")))

using namespace lantern::heap_library;
using std::size_t;

EXPORTED void* _Znwm(size_t size);

namespace {

bool has_own_operators() {
    static const bool has = [] {
        void* found = dlsym(RTLD_DEFAULT, "_Znwm");
        return found && found != reinterpret_cast<void*>(&_Znwm);
    }();
    return has;
}

}  // namespace

// Where there is no memory the C++ library's own operator is asked: it calls the handler and
// throws.
#define NEW(name, parameters, arguments, alignment, way)                              \
    EXPORTED void* name parameters {                                                  \
        static auto other = next<void*(*)parameters>(#name);                          \
        if (!has_own_operators() || !other)                                           \
            if (void* made = born(size, alignment, way, LANTERN_CALLER)) return made; \
        return other ? other arguments : nullptr;                                     \
    }
#define DELETE(name, parameters, arguments, size, way)                                       \
    EXPORTED void name parameters {                                                          \
        static auto other = next<void(*) parameters>(#name);                                 \
        if (!has_own_operators() || !other) return died(address, way, size, LANTERN_CALLER); \
        other arguments;                                                                     \
    }

NEW(_Znwm, (size_t size), (size), 0, Way::new_object)
NEW(_Znam, (size_t size), (size), 0, Way::new_array)
NEW(_ZnwmRKSt9nothrow_t, (size_t size, const void* tag), (size, tag), 0, Way::new_object)
NEW(_ZnamRKSt9nothrow_t, (size_t size, const void* tag), (size, tag), 0, Way::new_array)
NEW(_ZnwmSt11align_val_t, (size_t size, size_t align), (size, align), align, Way::new_object)
NEW(_ZnamSt11align_val_t, (size_t size, size_t align), (size, align), align, Way::new_array)
NEW(_ZnwmSt11align_val_tRKSt9nothrow_t, (size_t size, size_t align, const void* tag),
    (size, align, tag), align, Way::new_object)
NEW(_ZnamSt11align_val_tRKSt9nothrow_t, (size_t size, size_t align, const void* tag),
    (size, align, tag), align, Way::new_array)

DELETE(_ZdlPv, (void* address), (address), kNoSize, Way::delete_object)
DELETE(_ZdaPv, (void* address), (address), kNoSize, Way::delete_array)
DELETE(_ZdlPvm, (void* address, size_t size), (address, size), size, Way::delete_object)
DELETE(_ZdaPvm, (void* address, size_t size), (address, size), size, Way::delete_array)
DELETE(_ZdlPvRKSt9nothrow_t, (void* address, const void* tag), (address, tag), kNoSize,
       Way::delete_object)
DELETE(_ZdaPvRKSt9nothrow_t, (void* address, const void* tag), (address, tag), kNoSize,
       Way::delete_array)
DELETE(_ZdlPvSt11align_val_t, (void* address, size_t align), (address, align), kNoSize,
       Way::delete_object)
DELETE(_ZdaPvSt11align_val_t, (void* address, size_t align), (address, align), kNoSize,
       Way::delete_array)
DELETE(_ZdlPvmSt11align_val_t, (void* address, size_t size, size_t align), (address, size, align),
       size, Way::delete_object)
DELETE(_ZdaPvmSt11align_val_t, (void* address, size_t size, size_t align), (address, size, align),
       size, Way::delete_array)
DELETE(_ZdlPvSt11align_val_tRKSt9nothrow_t, (void* address, size_t align, const void* tag),
       (address, align, tag), kNoSize, Way::delete_object)
DELETE(_ZdaPvSt11align_val_tRKSt9nothrow_t, (void* address, size_t align, const void* tag),
       (address, align, tag), kNoSize, Way::delete_array)
