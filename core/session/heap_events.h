// What our library in front of the allocator has found, and what it knows of a block: its birth,
// its death, and the calls that led there.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/heap/history.h"
#include "core/session/moment.h"

namespace lantern {

struct HeapCall {
    std::string function, file;  // as the compiler recorded it; empty: not known
    std::uint32_t line = 0;
    bool is_library = false;  // not the user's own code
};

// A birth or a death.
struct HeapEvent {
    std::string way;  // "malloc", "new[]"
    unsigned thread = 0;
    double seconds = 0;           // since the first request
    std::vector<HeapCall> calls;  // the innermost first
};

struct HeapLife {
    std::uint64_t address = 0, size = 0;  // run address; bytes, as they were asked for
    std::uint64_t number = 0;             // of the births in its thread, from 1
    heap_tables::GuardPage guard{};       // where a page is that nobody may touch
    HeapEvent born;
    std::optional<HeapEvent> died;  // it is kept back
};

// Throws RequestError where the library is not there.
HeapHistory required_history(const Moment& moment);
HeapLife life_of(const Moment& moment, const HeapHistory& history, const heap_tables::Block& block);
// The user's own line of a birth or death: "fill, sluice.c:12"; else the innermost function. What
// has alloc in its name is passed over where there is another.
std::string own_place(const HeapEvent& event);
// "behind", "at end", "before"; empty for none.
std::string guard_word(heap_tables::GuardPage guard);
// "heap block 7 of 40 bytes", "heap block 7 of thread 2 of 40 bytes".
std::string block_words(const HeapLife& life);

// "byte 8 of it", "right behind the end of it", "3 bytes before the start of it"
std::string near_words(NearBlock::Side side, std::uint64_t distance, const std::string& which);

// What is wrong with a request, or with an access to memory in or near a block.
struct HeapFault {
    std::string kind;  // "freed twice", "written behind the end", …
    std::string what;  // a sentence
    std::optional<HeapLife> life;
    std::uint64_t at = 0;  // run address: of the first byte concerned
};
// At a stop where the library found something.
std::optional<HeapFault> found_by_heap_library(const Moment& moment);
// At a stop where it met a birth or a death that was asked for.
std::optional<HeapLife> met_by_heap_library(const Moment& moment, ThreadId thread);
// Of an address that could not be touched: what it means to the heap. Nothing where the library is
// not there, or no block is near.
std::optional<HeapFault> heap_fault_at(const Moment& moment, RunAddress address);

// For a stop: the sentence, the birth, the death.
std::vector<StopFact> facts_of_heap(const HeapFault& fault);
std::vector<StopFact> facts_of_heap(const HeapLife& life);

}  // namespace lantern
