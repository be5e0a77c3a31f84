// What a block holds, as far as its content and the pointers to it say.
#pragma once

#include <string>

#include "core/analysis/heap_report.h"
#include "core/heap/block_types.h"

namespace lantern {

// The class of an object with virtual functions, a text in quotes; empty: neither.
std::string content_of(const Moment& moment, const HeapBlock& block);
// For counting what is alike: a type or a class, or that it is a text; empty where it is not known.
std::string kind_of(const Moment& moment, const Heap& heap, const BlockTypes& types,
                    std::size_t number);
void count(HeapCount& into, const HeapBlock& block);

HeapBlockRow row_without_content(const HeapBlock& block);
HeapBlockRow row_of(const Moment& moment, const HeapBlock& block);
// By the pointers that lead to it, where that says more.
HeapBlockRow row_of(const Moment& moment, const Heap& heap, const BlockTypes& types,
                    std::size_t number);
// The variable that a pointer from outside of the heap is in, else whose memory it is.
std::string root_name(const Moment& moment, RunAddress pointer);
// The block that an address is in. Throws RequestError where it is in none.
const HeapBlock& block_meant(const Heap& heap, RunAddress address);

}  // namespace lantern
