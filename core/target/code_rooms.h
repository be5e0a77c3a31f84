// Room for code of ours in the program: copies of the instructions that stand under a breakpoint
// byte, so that a thread can pass it while the byte stays for the others. First the unused end of
// the last page of a module's code, whose bytes are put back; where that is full or is not there,
// memory that the program has mapped for us.
#pragma once

#include <map>
#include <optional>
#include <vector>

#include "core/target/kernel.h"
#include "core/target/target.h"

namespace lantern {

class CodeRooms {
  public:
    struct Copy {
        RunAddress address;  // 0: the instruction cannot be moved
        bool is_call = false;
    };
    struct Room {
        RunRange range;
        std::size_t used = 0;
        std::vector<std::byte> before;  // what stood there; none: it was mapped for us
        bool is_mapped() const { return before.empty(); }
        // Where the next copy would stand; nothing: it is full.
        std::optional<RunAddress> next() const;
    };

    const Copy* find(RunAddress original) const;  // null: nobody has asked for it yet
    const Copy& keep(RunAddress original, Copy copy) { return copies_[original] = copy; }
    // The original and the copy that an address lies in.
    std::optional<std::pair<RunAddress, Copy>> around(RunAddress address) const;
    bool holds(RunAddress address) const;
    bool is_mapped_for_us(RunAddress address) const;

    std::vector<Room>& all() { return rooms_; }
    const std::vector<Room>& all() const { return rooms_; }
    Room* room_from(RunAddress low);  // the one that begins there; null: it has not been taken

    // Async-signal-safe.
    void put_back(KernelMemory& memory) const;
    void forget() { rooms_.clear(), copies_.clear(); }
    // The module has been unloaded, and what lay in its pages with it.
    void forget_those_of(const Module& module);
    // A child that was forked has none of them.
    void forget_mapped();

  private:
    std::map<RunAddress, Copy> copies_;  // by the address of the original
    std::vector<Room> rooms_;
};

// Code is mapped by whole pages: what lies behind its last byte is nobody's. May be empty.
RunRange unused_end_of_code(const Module& module);
// Where in the memory there is a place for a room that code at `near` can reach; nothing: nowhere.
std::optional<RunRange> place_for_room(const std::vector<MemoryRegion>& regions, RunAddress near);

}  // namespace lantern
