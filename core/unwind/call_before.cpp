#include "core/unwind/call_before.h"

#include "core/machine/instruction.h"

namespace lantern {

// Instructions cannot be read backwards: each length that a call can have is tried, the direct one first.
std::optional<CallBefore> call_before(Target& target, RunAddress return_address) {
    std::byte bytes[8];
    if (return_address.value < sizeof bytes || target.read_available(return_address - sizeof bytes, bytes) != sizeof bytes) return std::nullopt;
    for (unsigned length : {5u, 2u, 3u, 6u, 7u, 4u, 8u}) {
        ByteSpan code = ByteSpan(bytes).subspan(sizeof bytes - length);
        auto opcode = static_cast<unsigned>(code[0]);
        bool may_be_call = (length == 5 && opcode == 0xe8) || opcode == 0xff || (opcode >= 0x40 && opcode < 0x50) || opcode == 0x3e || opcode == 0xf2 || opcode == 0x64 || opcode == 0x67;
        if (!may_be_call) continue;
        auto instruction = decode_instruction(code, return_address - length);
        if (instruction && instruction->kind == Instruction::Kind::call && instruction->length == length) return CallBefore{length, instruction->target};
    }
    return std::nullopt;
}

}  // namespace lantern
