// An instruction made to run at another address than its own with the same effect: what a thread
// runs instead of the instruction whose first byte a breakpoint has taken, so that the breakpoint
// stays in place for every other thread.
#pragma once

#include <optional>
#include <vector>

#include "core/machine/instruction.h"

namespace lantern {

constexpr unsigned kLongestMovedCode = 40;  // bytes

// The code to be written at `to`, which does what the instruction `bytes` does at `from` and goes
// on behind it. Nothing where that cannot be promised: a system call (the kernel takes it up again
// by its address), an address out of reach, an operand that counts on the stack pointer of a call,
// bytes that are no instruction. Registers, flags and memory are then as after the instruction
// itself; between its parts they need not be.
std::optional<std::vector<std::byte>> move_instruction(ByteSpan bytes, RunAddress from,
                                                       RunAddress to);

}  // namespace lantern
