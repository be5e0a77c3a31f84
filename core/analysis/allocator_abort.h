// The C library's allocator ends the program by itself (SIGABRT) where its own records contradict
// each other. It says in a few words what it came upon; whose block it was it does not say.
//
//     free(hash->prev);      "double free or corruption (!prev)"   the heap is damaged behind it
//     free(points);          "double free or corruption (fasttop)" it lies in a list of free ones
#pragma once

#include <optional>
#include <string>

#include "core/heap/heap.h"
#include "core/session/moment.h"

namespace lantern {

struct AllocatorAbort {
    std::optional<Heap> heap;  // as it is; nothing where it is too large, or cannot be read
    std::string argument;      // what the statement hands to free, delete or realloc; may be empty
    std::string argument_is;   // "leads to a block that has been freed (…)"; may be empty
};

// `level` and `statement`: of the frame of the user's own code from which it was called. Nothing
// where it is not the allocator that gave up. Never throws.
std::optional<AllocatorAbort> allocator_abort(const Moment& moment, unsigned level,
                                              const std::string& statement);

// "points" of `free(points);`, "p" of `delete[] p;`, "old" of `n = realloc(old, 8);`; empty where
// the statement frees nothing by itself, or different things.
std::string what_is_freed_in(const std::string& statement);

}  // namespace lantern
