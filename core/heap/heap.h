// The heap of a process as the C library's own structures tell it: its arenas, its blocks, and what
// in these structures contradicts itself.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/target/target.h"

namespace lantern {

// What the program asked for and was given. Its first byte is the one that malloc returned.
class HeapBlock {
  public:
    enum class State : std::uint8_t {
        in_use,
        free,    // in a list of its arena, or between the lists and the end
        cached,  // freed, and kept for the next request of the size: by a thread or by the arena
        of_library,  // what the library itself keeps there
    };
    std::uint64_t address = 0;  // run address

    HeapBlock() = default;
    // Of the arena with that number, from 1; 0: a mapping of its own.
    HeapBlock(RunAddress at, std::uint64_t usable_bytes, unsigned in_arena, State state)
        : address(at.value),
          size_(usable_bytes),
          arena_(in_arena),
          state_(static_cast<std::uint8_t>(state)) {}
    std::uint64_t size() const { return size_; }
    std::uint64_t end() const { return address + size_; }
    unsigned arena() const { return static_cast<unsigned>(arena_); }
    State state() const { return static_cast<State>(state_); }
    void set_state(State state) { state_ = static_cast<std::uint8_t>(state); }
    bool is_in_use() const { return state() == State::in_use; }

  private:
    std::uint64_t size_ : 40 = 0, arena_ : 16 = 0, state_ : 8 = 0;  // millions are kept
};

struct HeapArena {
    unsigned number = 0;            // from 1, in the order of the library's list
    RunAddress address;             // of its structure
    std::vector<RunRange> pieces;   // its memory
    RunAddress top;                 // the chunk at the end, from which new blocks are cut
    std::uint64_t top_size = 0;     // bytes
    bool is_locked = false;         // somebody is in the middle of a change
    bool is_first = false;          // it grows with brk(2)
    std::vector<ThreadId> threads;  // that take from it
};

// Something in the structures that cannot be. The addresses are run addresses.
struct HeapDamage {
    enum class Kind {
        header,      // a size that no chunk can have; `before` is the block that lies in front
        footer,      // a free block's two sizes differ
        list,        // a link that does not come back
        short_list,  // a link into nowhere, or a list that is longer or shorter than its count
        circle,      // a short list that comes back to itself: freed twice
        overlap,     // a block that a list knows lies inside of another; `before` is that one
        margin,      // of our library's: around the block `before`, or in it after it was freed
        records,     // of our library's: written over
    } kind = Kind::header;
    RunAddress at;                    // the chunk, or the list's head
    std::uint64_t found = 0;          // the word there
    std::string what;                 // a sentence
    std::optional<HeapBlock> before;  // of a header, or of an overlap
};

struct Heap {
    std::string library;  // "the C library 2.36"
    std::vector<HeapArena> arenas;
    std::vector<HeapBlock> blocks;     // by address
    std::vector<HeapDamage> damage;    // by address
    std::vector<RunRange> own;         // memory of the allocator itself: no pointers of the program
    std::vector<ThreadId> in_request;  // threads that stand in the middle of one
    // An arena is locked, or a thread stands in a request: the lists may be half changed.
    bool is_being_changed() const;

    // The block that an address is in or just behind the end of; null if there is none.
    const HeapBlock* block_at(RunAddress address) const;
};

// Throws RequestError where there is no process or no heap that can be read, with what is known of
// the allocator. `progress` is told the share of the bytes that are done; it may throw to give up.
Heap read_heap(Target& target, const std::function<void(double done)>& progress = {});

// The same for what is shown beside a pointer: nothing where the heap is too large to be gone
// through at every stop (kQuicklyRead bytes), is being changed, or cannot be read. Some mappings of
// their own may be missing.
constexpr std::uint64_t kQuicklyRead = 32 << 20;
std::uint64_t bytes_of_arenas(const Heap& heap);
std::optional<Heap> read_small_heap(Target& target);
// Where the allocator itself has ended the program, in a request of thread `by`: it has found its
// records wrong before it changed them. With what is wrong in its lists.
std::optional<Heap> read_heap_given_up(Target& target, ThreadId by);

// What an address means in the heap: "heap block of 40 bytes", "byte 8 of a freed heap block of 40
// bytes", "one past the end of a heap block of 40 bytes". Empty where the address is in no block.
std::string block_note(const Heap& heap, RunAddress address);

}  // namespace lantern
