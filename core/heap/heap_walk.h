// Going through the memory of the heap, chunk by chunk. (For heap.cpp.)
#pragma once

#include <deque>
#include <functional>
#include <future>

#include "core/heap/heap.h"

namespace lantern {

// One word of the process; nothing where it cannot be read.
std::optional<std::uint64_t> word_at(Target& target, RunAddress address);

// Words of the process, read in large pieces: walks go forward. While one piece is gone through,
// other threads read the next ones.
class HeapWords {
  public:
    explicit HeapWords(Target& target) : target_(target) {}
    std::optional<std::uint64_t> at(RunAddress address);  // nothing where it cannot be read

  private:
    struct Piece {
        RunAddress begin;
        std::vector<std::byte> bytes;
        bool holds(RunAddress address) const;
    };
    Piece read(RunAddress begin, std::vector<std::byte> buffer) const;
    void read_ahead();
    void go_to(RunAddress address);

    Target& target_;
    Piece piece_;
    std::vector<std::byte> spare_;  // of a piece that is done
    RunAddress ahead_;              // where the pieces end that are being read
    std::deque<std::future<Piece>> next_;
};

// Adds the blocks of one piece of an arena, in order, and what is wrong with their headers. The
// piece begins with its first block from then on.
// `progress` is told how many bytes are done.
void walk_piece(HeapWords& words, const HeapArena& arena, RunRange& piece, Heap& heap,
                const std::function<void(std::uint64_t bytes)>& progress);

// Adds the blocks that are mappings of their own. A region of memory that does not belong to a file
// may hold some; so many pages of it without one are looked at.
void find_own_mappings(Target& target, Heap& heap, std::uint64_t pages_looked_at);

}  // namespace lantern
