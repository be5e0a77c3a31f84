// Decodes one machine instruction: how long it is, where it can go next, what memory it writes.
// (Decoding by Zydis.)
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/support/address.h"
#include "core/support/byte_reader.h"

namespace lantern {

constexpr unsigned kLongestInstruction = 15;
constexpr std::byte kTrapByte{0xcc};

// One memory operand. Registers are DWARF numbers.
struct MemoryOperand {
    std::optional<unsigned> base, index;
    std::int64_t displacement = 0;
    unsigned size = 0;  // bytes
    bool writes = false;
    bool address_only = false;  // the address is computed and kept, the memory is not touched
};

struct Instruction {
    enum class Kind { ordinary, call, jump, conditional_jump, returns, system_call, stops };
    RunAddress address;
    unsigned length = 1;
    Kind kind = Kind::ordinary;
    bool is_filler = false;             // does nothing: compilers align code with it
    std::optional<RunAddress> target;   // of a direct call or jump
    std::vector<MemoryOperand> memory;  // explicit operands only: pushes and calls are not listed

    RunAddress next() const { return address + length; }
    bool falls_through() const {
        return kind != Kind::jump && kind != Kind::returns && kind != Kind::stops;
    }
};

// Nothing if the bytes are no instruction or are cut off.
std::optional<Instruction> decode_instruction(ByteSpan bytes, RunAddress address);

// Assembler text in Intel syntax; "(bad)" for bytes that are no instruction.
std::string instruction_text(ByteSpan bytes, RunAddress address);

}  // namespace lantern
