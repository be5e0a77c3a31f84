// How the first arena is found in a library without symbols. An empty list of an arena points to
// itself, so an arena is a row of words most of which hold an address a little before their own:
//
//     arena + 112   first list, first chunk:  = arena + 96   when the list is empty
//     arena + 120   first list, last chunk:   = arena + 96
//     arena + 128   second list:              = arena + 112  …
//
// 127 such pairs, and a ring of arenas through one more word that comes back: nothing else looks
// so.
#include "core/heap/arenas.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <set>

#include "core/heap/heap_walk.h"
#include "core/runtime/allocator_layout.h"
#include "core/support/error.h"

namespace lantern {
namespace {

using namespace allocator;

constexpr unsigned kMostArenas = 4096;
constexpr unsigned kFirstVersion = 32, kLastVersion = 41;  // of glibc 2.x
constexpr std::string_view kBanner = "GNU C Library";

// Whether the lists of an arena may begin there: each is empty or leads to somewhere else.
bool may_be_arena(ByteSpan data, RunAddress data_at, std::uint64_t offset) {
    if (offset + kArenaSize > data.size()) return false;
    unsigned empty = 0;
    for (unsigned list = 0; list < kLists; ++list) {
        std::uint64_t pair[2];
        std::memcpy(pair, data.data() + offset + kListsAt + list * sizeof pair, sizeof pair);
        std::uint64_t own = data_at.value + offset + kListsAt + list * sizeof pair - kHeader;
        bool is_empty = pair[0] == own && pair[1] == own;
        if (!is_empty && (pair[0] == own || pair[1] == own || !pair[0] || !pair[1])) return false;
        empty += is_empty;
    }
    return empty * 4 > kLists;
}

std::optional<RunAddress> arena_in_data(Target& target, const Module& library) {
    for (const MemoryRegion& region : target.regions()) {
        if (region.permissions.size() < 2 || region.permissions[1] != 'w') continue;
        if (!library.holds(region.begin)) continue;
        std::vector<std::byte> data(region.size());
        data.resize(target.read_bulk(region.begin, data));
        for (std::uint64_t offset = 0; offset + kArenaSize <= data.size(); offset += kWord)
            if (may_be_arena(data, region.begin, offset)) return region.begin + offset;
    }
    return std::nullopt;
}

// "2.36" of "GNU C Library (Debian GLIBC 2.36-9+deb12u4) stable release version 2.36."
std::string version_of(const Module& library) {
    ByteSpan bytes = library.symbols().elf().bytes(".rodata");
    std::string_view text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    std::size_t banner = text.find(kBanner);
    if (banner == std::string_view::npos) return {};
    constexpr std::string_view kBefore = "release version ";
    std::size_t at = text.find(kBefore, banner);
    if (at == std::string_view::npos) return {};
    at += kBefore.size();
    std::size_t end = text.find_first_not_of("0123456789.", at);
    std::string version(text.substr(at, end - at));
    while (version.ends_with('.')) version.pop_back();
    return version;
}

bool is_known(const std::string& version) {
    if (!version.starts_with("2.")) return false;
    unsigned minor = static_cast<unsigned>(std::strtoul(version.c_str() + 2, nullptr, 10));
    return minor >= kFirstVersion && minor <= kLastVersion;
}

// The first module that brings malloc is whose heap the program uses.
const Module* library_of_heap(Target& target) {
    for (const Module& module : target.modules()) {
        const ElfSymbol* symbol = module.symbols().symbol_table().named("malloc");
        if (symbol && symbol->is_function && symbol->address.value) return &module;
    }
    return nullptr;
}

// The pieces of an arena that is not the first, from the one with its end backwards.
void add_pieces(Target& target, HeapArena& arena) {
    constexpr unsigned kMostPieces = 4096;
    // Behind the header of its first piece stands the arena itself; it was longer from 2.35 on.
    std::uint64_t header = arena.address.value % kPiece;
    RunAddress piece(arena.top.value & ~(kPiece - 1));
    for (unsigned i = 0; i < kMostPieces && piece.value; ++i) {
        auto size = word_at(target, piece + kPieceSizeAt),
             before = word_at(target, piece + kPieceBeforeAt);
        if (!size || !before || *size > kPiece) return;
        std::uint64_t begin = header;
        bool holds_arena = arena.address == piece + begin;
        if (holds_arena) begin = (begin + kArenaSize + kAlignment - 1) & ~(kAlignment - 1);
        arena.pieces.push_back({piece + begin, piece + *size});
        if (holds_arena) return;
        piece = RunAddress(*before);
    }
}

HeapArena read_arena(Target& target, RunAddress address, unsigned number) {
    HeapArena arena;
    arena.number = number;
    arena.address = address;
    arena.is_first = number == 1;
    arena.top = RunAddress(target.read<std::uint64_t>(address + kTopAt));
    arena.is_locked = target.read<std::uint32_t>(address + kLockAt) != 0;
    bool has_memory = arena.top != address + kTopAt;  // before the first request it is its own end
    if (!has_memory) {
        arena.top = {};
        return arena;
    }
    arena.top_size = size_of(word_at(target, arena.top + kWord).value_or(0));
    if (!arena.is_first) {
        add_pieces(target, arena);
        return arena;
    }
    const MemoryRegion* region = target.region_at(arena.top);
    if (!region) return arena;
    // Neighbouring mappings of the same heap: a core may have cut it, rights may have been changed.
    RunAddress begin = region->begin;
    for (const MemoryRegion* before = region; before && before->name == region->name;) {
        begin = before->begin;
        before = target.region_at(begin - 1);
        if (before && before->end != begin) break;
    }
    bool grows_with_brk = region->name == "[heap]";
    arena.pieces.push_back({begin, grows_with_brk ? region->end : arena.top + arena.top_size});
    return arena;
}

// The library keeps for each thread, in its thread-local memory, which arena it takes from.
void find_threads_of(Target& target, AllocatorFound& found) {
    constexpr std::uint64_t kSearched = 4096;  // bytes below where thread-local memory ends
    std::vector<std::uint64_t> words(kSearched / kWord);
    for (ThreadId thread : target.threads()) {
        std::uint64_t end = target.registers(thread).thread_base;
        if (end < kSearched) continue;
        // Not all of it may be there: what is nearest to the end is.
        for (std::uint64_t size = kSearched; size >= 256; size /= 2) {
            auto bytes = std::as_writable_bytes(std::span(words).first(size / kWord));
            if (target.read_available(RunAddress(end - size), bytes) != bytes.size()) continue;
            auto read = std::span(words).first(size / kWord);
            found.thread_words.insert(found.thread_words.end(), read.begin(), read.end());
            for (HeapArena& arena : found.arenas)
                if (std::ranges::find(read, arena.address.value) != read.end())
                    arena.threads.push_back(thread);
            break;
        }
    }
    std::ranges::sort(found.thread_words);
}

}  // namespace

AllocatorFound find_allocator(Target& target) {
    const Module* library = library_of_heap(target);
    if (!library)
        throw RequestError("no module of the program has an allocator of the usual names");
    const ElfSymbol* symbol = library->symbols().symbol_table().named("main_arena");
    auto first =
        symbol ? std::optional(library->to_run(symbol->address)) : arena_in_data(target, *library);
    std::string version = version_of(*library);
    if (version.empty() && !first)
        throw RequestError(
            fmt::format("malloc is {}'s own: how that lays out its heap is not known",
                        library->path()),
            Next::list_regions);
    if (!version.empty() && !is_known(version))
        throw RequestError(
            fmt::format("the heap of the C library {} is not known here, only that of 2.{} to 2.{}",
                        version, kFirstVersion, kLastVersion));
    if (!first)
        throw RequestError("the heap's first arena is not found: nothing has been asked of it yet");
    AllocatorFound found;
    // A program that has the library in it does not say of which version that is.
    found.library = version.empty() ? "a C library that is linked in" : "the C library " + version;
    std::set<RunAddress> seen;
    for (RunAddress at = *first; seen.insert(at).second && seen.size() <= kMostArenas;) {
        found.arenas.push_back(read_arena(target, at, static_cast<unsigned>(seen.size())));
        auto next = word_at(target, at + kNextArenaAt);
        if (!next || !*next) break;
        at = RunAddress(*next);
    }
    find_threads_of(target, found);
    found.module = library;
    return found;
}

}  // namespace lantern
