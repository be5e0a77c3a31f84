// Works out what a plain store would write, for a page that the program may not write itself just
// now.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "core/machine/instruction.h"
#include "core/machine/registers.h"

namespace lantern {

struct Store {
    RunAddress address;
    std::vector<std::byte> bytes;  // to be written there
    Registers after;  // with the flags and the program counter as the instruction leaves them
};

// What instruction needs to be told of memory before: nothing, or what lies where it writes.
using ReadBytes = std::function<bool(RunAddress address, std::span<std::byte> out)>;

// For moves into memory and the usual arithmetic on it (add, sub, inc, dec, and, or, xor) of 1, 2,
// 4 or 8 bytes. Nothing for everything else, which the processor must do itself.
std::optional<Store> work_out_store(ByteSpan bytes, const Registers& registers,
                                    const ReadBytes& read);

}  // namespace lantern
