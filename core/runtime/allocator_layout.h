// How the system's C library lays out its heap: glibc on x86-64, from 2.32 (which began to protect
// the pointers of its short lists) to 2.41.
//
//     chunk ──> ┌────────────────────────────┐
//               │ size of the one before     │ only if that one is free
//               │ its own size       │N│M│P │ P: the one before is in use
//     block ──> ├────────────────────────────┤ M: it is a mapping of its own, N: not of the first
//               │ what the program keeps     │    arena
//               │ …                          │
//               └────────────────────────────┘ and the first word of the next one belongs to it
#pragma once

#include <cstdint>

namespace lantern::allocator {

constexpr std::uint64_t kWord = 8, kAlignment = 16, kLeastChunk = 32;
constexpr std::uint64_t kHeader = 16;  // from a chunk to its block

constexpr std::uint64_t kBeforeInUse = 1, kOwnMapping = 2, kOtherArena = 4, kFlags = 7;
constexpr std::uint64_t size_of(std::uint64_t word) {
    return word & ~kFlags;
}
// What a block of that chunk offers.
constexpr std::uint64_t usable(std::uint64_t chunk_size) {
    return chunk_size - kWord;
}

// struct malloc_state: an arena.
constexpr std::uint64_t kLockAt = 0, kFastListsAt = 16, kTopAt = 96, kListsAt = 112,
                        kNextArenaAt = 2160, kArenaSize = 2200;
constexpr unsigned kFastLists = 10, kLists = 127;  // the latter are pairs: first and last chunk

// struct _heap_info, at the beginning of each piece of memory of an arena that is not the first.
constexpr std::uint64_t kPiece = 64 << 20;  // they are aligned to this
constexpr std::uint64_t kPieceBeforeAt = 8, kPieceSizeAt = 16;

// struct tcache_perthread_struct: the short lists that each thread has for itself, one for each
// size of chunk from the least one on. It is a block of the heap.
constexpr unsigned kThreadLists = 64;
constexpr std::uint64_t kThreadCountsAt = 0, kThreadListsAt = 128, kThreadListsSize = 640;

// Pointers of short lists are mixed with where they lie (safe linking).
constexpr std::uint64_t unmixed(std::uint64_t at, std::uint64_t word) {
    return (at >> 12) ^ word;
}

}  // namespace lantern::allocator
