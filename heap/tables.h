// What the library in front of the allocator writes down of every block, and the session reads out
// of the process. Both are built from this file; the mark and the sizes in the head tell a session
// that meets a library of another build.
//
//     head ──> blocks   one record for each place that a block can be at, of 64 bytes, in no order
//          ──> stacks   the calls that lead to births and deaths, each of them once
//          ──> pictures what lived, by stack, now and then and at the peak
#pragma once

#include <cstddef>
#include <cstdint>

namespace lantern::heap_tables {

inline constexpr char kLibraryFile[] = "libelm-lantern-heap.so";
inline constexpr char kHeadSymbol[] = "elm_lantern_heap";
// Called at each fault: a breakpoint there stops in the request that found it.
inline constexpr char kFoundSymbol[] = "elm_lantern_heap_found";
// Called at a birth or a death that the session asked for.
inline constexpr char kAskedSymbol[] = "elm_lantern_heap_asked";
// Taken out of the program's environment before it begins.
inline constexpr char kOptionsVariable[] = "ELM_LANTERN_HEAP";

inline constexpr std::uint64_t kMark = 0x5041454e41424d45;
inline constexpr std::uint64_t kMargin = 16;         // bytes before a block, and at least behind it
inline constexpr std::uint64_t kMarginChecked = 64;  // bytes behind it at most
// Three patterns. As a pointer, none is an address that a program can have.
inline constexpr unsigned char kBirthFill = 0xe5, kDeathFill = 0xd7, kMarginFill = 0xb9;
// Of a freed block: so many bytes at its beginning are filled.
inline constexpr std::uint64_t kDeathFilled = 512;
inline constexpr std::uint64_t kBirthFilled = 1024;
inline constexpr std::uint64_t kMostFrames = 24;
inline constexpr std::size_t kOwnRanges = 16;

struct Range {
    std::uint64_t begin, end;
};

enum class State : std::uint8_t {
    empty,
    live,
    kept,   // freed, and not given out again yet
    dying,  // a thread is about to free it
};
// By which request a block was born or died.
enum class Way : std::uint8_t {
    none,
    malloc,
    calloc,
    realloc,
    aligned,  // aligned_alloc, posix_memalign, memalign, valloc
    free,
    new_object,
    new_array,
    delete_object,
    delete_array,
    // No block is born or dies by these: they were handed one.
    read,
    pread,
    recv,
    recvfrom,
    fread,
    write,
    pwrite,
    send,
    sendto,
    fwrite,
    readv,
    preadv,
    recvmsg,
    writev,
    pwritev,
    sendmsg,
    readlink,
    getcwd,
    getrandom,
};

// Which page of a block nobody may touch.
enum class GuardPage : std::uint8_t {
    none,
    behind,  // up to 15 bytes behind its end
    at_end,  // right behind it
    before,  // its beginning
};

struct Block {
    std::uint64_t address, size;            // as it was asked for
    std::uint64_t number : 48, check : 16;  // the thread's own count; see check_of
    std::uint64_t born, died;               // ticks
    std::uint32_t born_stack, died_stack;   // bytes from the beginning of the stacks; 0: not known
    std::uint16_t born_thread, died_thread;
    State state;
    Way born_way, died_way;
    GuardPage guard;
    std::uint32_t span;  // the library's own
    std::uint32_t next;  // the library's own
};
static_assert(sizeof(Block) == 64);

// Of a record that the library wrote and nobody else wrote over.
constexpr std::uint16_t check_of(const Block& block) {
    std::uint64_t mixed =
        (block.address ^ (block.size << 20) ^ (std::uint64_t{block.number} << 7)) *
        0x9e3779b97f4a7c15;
    return static_cast<std::uint16_t>(mixed >> 48);
}

struct Stack {
    std::uint64_t
        live_bytes;  // of the blocks that were born there; threads add theirs now and then
    std::uint32_t hash, depth;
    std::uint32_t judged;  // against the named places: their round twice, and one if it is of them
    std::uint32_t unused;
    // So many words follow: where each call returns to, the innermost first.
};

// Of one thread, or of several one after the other.
struct Counts {
    std::uint64_t births;
    std::int64_t live_change;  // bytes that are not in the head's sum yet
};

struct Fault {
    enum class Kind : std::uint32_t {
        none,
        behind_end,  // its margin was written
        before_start,
        freed_twice,
        no_block,  // `address` was never one
        inside,    // of a block
        wrong_partner,
        wrong_size,     // `given` was named as the size
        written_after,  // after it was freed
        // A call that hands memory on to the kernel: `given` bytes went there or came from there.
        filled_behind_end,
        taken_behind_end,
        call_on_freed,
    } kind;
    std::uint32_t block;      // number of its record, from 1; 0: none
    std::uint64_t address;    // what the request was for
    std::uint64_t at, bytes;  // the first byte that was written, and how many up to the last
    std::uint64_t given;
    std::uint32_t way, unused;  // Way of the request
};

// What the session wants the program to stop at.
struct Asked {
    static constexpr std::uint32_t kBirth = 1, kDeath = 2;
    std::uint32_t what, unused;
    std::uint64_t number;       // 0: any
    std::uint64_t least, most;  // bytes
};
inline constexpr std::size_t kMostAsked = 8;
constexpr bool is_asked(const Asked& asked, const Block& block, bool is_death) {
    return (asked.what & (is_death ? Asked::kDeath : Asked::kBirth)) &&
           (!asked.number || asked.number == block.number) && block.size >= asked.least &&
           block.size <= asked.most;
}
// Only blocks of which one of the calls that led to their birth lies there get a page of their own.
struct NamedPlaces {
    static constexpr std::size_t kMost = 512;
    std::uint32_t round;  // counts how often they were written; 0: they are not known yet
    std::uint32_t count;
    Range code[kMost];  // run addresses
};
struct Met {
    std::uint32_t block, is_death;
};

// What lived at a moment.
struct Picture {
    static constexpr std::size_t kPlaces = 24;
    std::uint64_t at;     // ticks
    std::uint64_t total;  // bytes
    struct Place {
        std::uint32_t stack;
        std::uint32_t unused;
        std::uint64_t bytes;
    } places[kPlaces];  // those with most; the others are the rest
};
inline constexpr std::uint32_t kMostPictures = 512;

struct Head {
    std::uint64_t mark;
    std::uint32_t size_of_head, size_of_block;
    std::uint64_t area, area_end;  // all blocks lie there
    Range own[kOwnRanges];  // memory of the library itself, besides its data; what is not used is 0
    std::uint64_t blocks, blocks_used;  // records
    std::uint64_t stacks, stacks_used;  // bytes
    std::uint64_t pictures, pictures_used;
    std::uint64_t start_ticks, start_ns;   // one moment in both
    std::uint64_t seen_ticks, seen_ns;     // a later one
    std::uint64_t live_bytes, peak_bytes;  // about: threads add theirs now and then
    std::uint64_t guard_wish;              // so many were to get one
    std::uint64_t guard_births;            // so many more blocks get a page behind them
    std::uint64_t guard_page;              // GuardPage: where theirs lies
    std::uint64_t guards_refused;          // the kernel gives no more pages of their own
    std::uint64_t guards_missed;           // as many were alive as may be
    std::uint64_t threads;                 // that have asked so far
    // What each thread has counted: so many places, so many bytes apart.
    std::uint64_t counts, counts_apart, counts_used;
    // Written by the session.
    std::uint64_t asked_count;
    Asked asked[kMostAsked];
    NamedPlaces named;
    Met met;  // by the library, before it calls
    Fault fault;
};

}  // namespace lantern::heap_tables
