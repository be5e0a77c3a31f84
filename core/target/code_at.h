// What code lies at an address of the target: the instruction as it is now, and the function with
// symbols that it belongs to.
#pragma once

#include <array>
#include <optional>

#include "core/machine/instruction.h"
#include "core/target/target.h"

namespace lantern {

// Nothing where it cannot be read or is none. Bytes of ours never show.
std::optional<Instruction> instruction_at(Target& target, RunAddress address);

// The same with its bytes, for who wants its effects or its text too.
struct InstructionAt {
    Instruction instruction;
    std::array<std::byte, kLongestInstruction> storage{};
    ByteSpan bytes() const { return ByteSpan(storage).first(instruction.length); }
};
std::optional<InstructionAt> whole_instruction_at(Target& target, RunAddress address);

struct FunctionAt {
    const Module* module = nullptr;      // null: none is loaded there
    const Function* function = nullptr;  // null: none with symbols
};
FunctionAt function_at(Target& target, RunAddress address);

}  // namespace lantern
