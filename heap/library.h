// The library that stands in front of the C library's allocator. (For its own files.)
//
// Where a block lies. All of them lie in one part of the address space; a table by pages says to
// which span a page belongs:
//
//     small, one span of many slots      |margin|block······|margin|margin|block····|margin|…
//     large or guarded, a span each      |  filled |block···············|no page|
//
// Records lie apart (heap/tables.h), so that a program that writes over the end of a block does not
// write over what is known of it. A freed block is filled and kept back: its slot is given out
// again when so many bytes were freed after it, and then the fill tells whether somebody wrote into
// it.
#pragma once

#include "heap/callers.h"
#include "heap/tables.h"

namespace lantern::heap_library {

using heap_tables::Way;

// Null where there is no memory. `alignment` is a power of two.
void* born(std::uint64_t size, std::uint64_t alignment, Way way, const Caller& caller);
// `given`: the size that the request named, or kNoSize.
inline constexpr std::uint64_t kNoSize = ~std::uint64_t{0};
void died(void* address, Way way, std::uint64_t given, const Caller& caller);
void* reborn(void* address, std::uint64_t size, const Caller& caller);
// As it was asked for; 0 where it is none that lives.
std::uint64_t size_of(const void* address);

}  // namespace lantern::heap_library
