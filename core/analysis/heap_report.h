// What the heap tells: how much of it is in use and where, which block is whose, what is damaged,
// what nothing leads to any more, and by which pointers a block is kept.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/heap/heap.h"
#include "core/session/moment.h"

namespace lantern {

// 0 to 1; may throw to give up.
using Progress = std::function<void(double done)>;

struct HeapCount {
    std::uint64_t blocks = 0, bytes = 0;  // usable ones
};

struct HeapArenaRow {
    unsigned number = 0;  // 0: mappings of their own
    HeapCount in_use, free, cached;
    std::uint64_t largest_free = 0;  // usable bytes: of the free blocks, not of those kept
    std::uint64_t rest = 0;          // bytes behind the last block
    std::uint64_t whole = 0;         // bytes of memory
    bool is_locked = false;
    std::vector<unsigned> threads;  // that take from it, by number
};
struct HeapSizeRow {
    std::uint64_t size = 0;  // usable bytes
    HeapCount in_use, not_in_use;
};
struct HeapBlockRow {
    std::uint64_t address = 0, size = 0;  // run address; usable bytes
    std::string state;                    // "in use", "free", "kept for the next request"
    unsigned arena = 0;                   // 0: a mapping of its own
    std::string what;                     // what it holds, as far as its content says; may be empty
    bool is_meant = false;                // it holds the address that was asked for
};
struct HeapReport {
    std::string library;
    std::vector<HeapArenaRow> arenas;
    HeapCount in_use, free, cached;
    std::uint64_t largest_free = 0;     // usable bytes
    std::vector<HeapSizeRow> sizes;     // those that hold most
    std::vector<HeapBlockRow> largest;  // in use
    std::uint64_t damage = 0;           // how many contradictions there are
    bool is_being_changed = false;      // a thread stands in the middle of a request
};
HeapReport report_heap(const Moment& moment, const Progress& progress);

struct HeapBlocksQuery {
    std::uint64_t least = 0, most = ~std::uint64_t{0};  // bytes
    std::string type;              // of what they hold, "canal::Barge" or "Barge"; empty: any
    std::optional<RunAddress> at;  // the block that holds the address, and its neighbours
    std::size_t limit = 40;
    bool with_free = false;
};
struct HeapBlocksReport {
    std::vector<HeapBlockRow> rows;  // by address
    std::uint64_t total = 0;         // that fit
    std::string note;                // of the address that was asked for
};
// Throws RequestError where the address is in no block.
HeapBlocksReport report_heap_blocks(const Moment& moment, const HeapBlocksQuery& query,
                                    const Progress& progress);

// What the blocks in use hold, by their types.
struct HeapTypeRow {
    std::string what;  // "canal::Barge", "element of std::map<…>", "text"; empty: not known
    HeapCount in_use;
};
struct HeapTypesReport {
    std::vector<HeapTypeRow> rows;  // those that hold most first
    std::size_t total = 0;          // different ones
    HeapCount in_use;
};
HeapTypesReport report_heap_types(const Moment& moment, std::size_t limit,
                                  const Progress& progress);

struct HeapDamageRow {
    std::uint64_t address = 0;
    std::string what;
    std::optional<HeapBlockRow> before;  // the block that lies in front of it
    std::string content;                 // what ran over its end, where that is a text
    std::string born;                    // where the block was, as far as our library knows
};
struct HeapCheckReport {
    std::vector<HeapDamageRow> rows;  // by address
    std::uint64_t blocks = 0;         // that were looked at
    bool is_being_changed = false;
};
HeapCheckReport report_heap_check(const Moment& moment, const Progress& progress);

// The heap as it was at some moment.
struct KeptHeap {
    std::string name;
    std::uint64_t life = 0;  // see Moment::life: blocks of another one cannot be compared
    HeapCount in_use;
    std::map<std::string, HeapCount> by_what;  // see HeapGrowthRow
    std::vector<HeapBlock> blocks;             // in use, by address
};
KeptHeap keep_heap(const Moment& moment, const std::string& name, const Progress& progress);

struct HeapGrowthRow {
    std::string what;  // as in HeapTypeRow; "blocks of 48 bytes" where nothing else is known
    HeapCount before, now;
    bool only_grows = false;  // from each time that was kept to the next
};
struct HeapGrowthReport {
    std::string since;  // the name
    HeapCount before, now;
    HeapCount came, went;             // blocks at an address, of a size, where there was none
    bool is_of_another_run = false;   // then these are not known
    std::vector<HeapGrowthRow> rows;  // that changed, those that grew most first
    std::size_t total = 0;
    bool is_being_changed = false;
};
// `kept` is in the order in which it was kept; `since` is one of them.
HeapGrowthReport report_heap_growth(const Moment& moment, const std::vector<KeptHeap>& kept,
                                    const KeptHeap& since, std::size_t limit,
                                    const Progress& progress);

struct HeapLostRow {
    HeapBlockRow first;
    std::uint64_t times = 0;  // how many groups look like this one
    HeapCount whole;          // of all of them, with what only they lead to
    std::string born;         // where, as far as our library knows: "moor, wharf.cpp:31"
};
struct HeapLeaksReport {
    std::vector<HeapLostRow> rows;  // the largest first
    HeapCount lost, from_inside, in_use;
    std::size_t groups = 0;
    std::vector<HeapGrowthRow> growing;  // not lost, and more of them each time that was kept
    bool is_being_changed = false;
};
// `kept` as above; from two of them on it tells what grows.
HeapLeaksReport report_heap_leaks(const Moment& moment, const std::vector<KeptHeap>& kept,
                                  std::size_t limit, const Progress& progress);

struct HeapPathStep {
    std::uint64_t pointer = 0;    // where the pointer lies; 0: in a register
    std::string where;            // "flight in main", "stack of frame 2", the block
    std::uint64_t from_byte = 0;  // of the block that the pointer is in; 0 at the root
    std::string from_part;        // what it is called there, "next"; empty: not known
    std::uint64_t block = 0;      // that it leads into
    std::uint64_t offset = 0;     // bytes from its beginning
    std::uint64_t size = 0;
    std::string what;  // as in HeapBlockRow
};
struct HeapPathReport {
    HeapBlockRow block;
    std::vector<HeapPathStep> steps;  // from the root to the block; empty: nothing leads to it
};
// Throws RequestError where the address is in no block that is in use.
HeapPathReport report_heap_path(const Moment& moment, RunAddress address, const Progress& progress);

}  // namespace lantern
