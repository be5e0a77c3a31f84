// Which operand of the instruction that failed was wrong: a pointer, an index, a divisor, or what
// was called.
#pragma once

#include <optional>

#include "core/machine/effects.h"
#include "core/session/moment.h"
#include "core/session/stop.h"

namespace lantern {

constexpr std::uint64_t kNearNull = 4096;  // no program has anything mapped below (mmap_min_addr)

// The value in the statement that made it fail.
struct Culprit {
    enum class Role { pointer, index, divisor, called } role = Role::pointer;
    unsigned level = 0;                      // of the frame
    std::optional<unsigned> dwarf_register;  // it is in
    MemoryAccess memory;                     // else read from there
    std::uint64_t value = 0;
    // Where it led (run address), with what was added to it.
    std::optional<std::uint64_t> accessed;
    std::uint64_t alignment = 0;  // bytes: what a multiple of which was needed; 0: another reason
    bool is_folded = false;       // the compiler knew that it is null, and no register holds it
};

// Of a fault that the processor raised; nothing where no single value is to blame.
std::optional<Culprit> culprit_of(const Moment& moment, const Stop& stop);

bool can_be_an_address(std::uint64_t number);

}  // namespace lantern
