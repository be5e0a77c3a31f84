#include "core/heap/requests.h"

#include <algorithm>
#include <string_view>

#include "core/unwind/unwinder.h"

namespace lantern {
namespace {

constexpr unsigned kFramesAboveRequest =
    256;  // of one thread: a signal may have come in the middle

// Those that change the heap, by the names that a library without its debug information has too.
constexpr std::string_view kRequests[] = {"malloc",
                                          "free",
                                          "calloc",
                                          "realloc",
                                          "memalign",
                                          "valloc",
                                          "aligned_alloc",
                                          "pvalloc",
                                          "cfree",
                                          "posix_memalign",
                                          "mallopt",
                                          "reallocarray",
                                          "malloc_trim",
                                          "sysmalloc",
                                          "systrim",
                                          "mtrim",
                                          "unlink_chunk",
                                          "tcache_init",
                                          "ptmalloc_init",
                                          "malloc_consolidate",
                                          "arena_get2",
                                          "mid_memalign",
                                          "new_heap",
                                          "grow_heap",
                                          "shrink_heap",
                                          "heap_trim",
                                          "tcache_thread_shutdown",
                                          "malloc_arena_thread_freeres"};

// "__GI___libc_free", "_int_free.constprop.0" and "malloc@@GLIBC_2.2.5" are those too.
bool is_request(std::string_view name) {
    name = name.substr(0, name.find_first_of(".@"));
    if (name.starts_with("_int_")) return true;
    if (name.starts_with("__GI_")) name.remove_prefix(5);
    name.remove_prefix(std::min(name.find_first_not_of('_'), name.size()));
    if (name.starts_with("libc_")) name.remove_prefix(5);
    return std::find(std::begin(kRequests), std::end(kRequests), name) != std::end(kRequests);
}

bool stands_in_request(Target& target, const Module& library, ThreadId thread) {
    Unwinder walk(target, thread);
    for (unsigned level = 0; level < kFramesAboveRequest; ++level) {
        const Frame* frame = walk.frame(level);
        if (!frame) return false;
        if (frame->is_inlined() || frame->module != &library) continue;
        FileAddress at = frame->file_address();
        const ElfSymbol* symbol = library.symbols().symbol_table().covering(at);
        bool has_begun = symbol && at > symbol->address && at < symbol->address + symbol->size;
        if (has_begun && is_request(symbol->name)) return true;
    }
    return false;
}

}  // namespace

std::vector<ThreadId> threads_in_request(Target& target, const Module& library) {
    std::vector<ThreadId> standing;
    for (ThreadId thread : target.threads())
        if (stands_in_request(target, library, thread)) standing.push_back(thread);
    return standing;
}

}  // namespace lantern
