// What one instruction does to registers and memory, told by its operands: those that are written
// out, and those that are understood (a push, a call, a string instruction). (Decoding by Zydis.)
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "core/machine/registers.h"
#include "core/support/byte_reader.h"

namespace lantern {

struct MemoryAccess {
    enum class Segment { none, fs, gs };
    std::optional<unsigned> base,
        index;  // DWARF numbers; the program counter's means that of the next instruction
    bool has_other_registers =
        false;  // its address is made of more than these (a vector of indices): not to be computed
    unsigned scale = 1;
    std::int64_t displacement = 0;
    Segment segment = Segment::none;
    unsigned size = 0;       // bytes
    unsigned alignment = 1;  // bytes; the processor refuses an address that is no multiple of it
    bool reads = false, writes = false;
    bool is_implied = false;  // not written out: the stack of a push, pop, call or return
};

// Part of a general or vector register, by its DWARF number.
struct RegisterUse {
    unsigned dwarf_number = 0;
    unsigned size = 0;  // bytes, from the first or (the old high halves) second byte
    bool reads = false, writes = false;
    bool is_implied = false;
};

struct Effects {
    std::vector<MemoryAccess> memory;
    std::vector<RegisterUse> registers;  // the program counter and the flags are not listed
    std::optional<MemoryAccess>
        address;  // of an instruction that computes an address and keeps it, and touches no memory
    bool is_copy = false;              // a plain move between registers
    bool clears_its_register = false;  // by combining it with itself: what it held does not matter
    bool aligns_stack = false;         // the stack pointer's low bits are cleared
    bool is_privileged = false;        // only the kernel may run it
    bool divides = false;              // a whole number by another
};

// Nothing if the bytes are no instruction or are cut off.
std::optional<Effects> effects_of(ByteSpan bytes);

// Where it accesses memory (run address), with these registers and the instruction that follows at
// `next`; nothing where a register is not known. An implied push is below the stack pointer
// already.
std::optional<std::uint64_t> accessed_address(const MemoryAccess& access,
                                              const Registers& registers, RunAddress next,
                                              std::uint64_t gs_base = 0);

}  // namespace lantern
