#include "core/unwind/call_before.h"

#include "core/machine/call_bytes.h"
#include "core/machine/instruction.h"

namespace lantern {

std::optional<CallBefore> call_before(Target& target, RunAddress return_address) {
    std::byte bytes[kLongestCall];
    if (return_address.value < sizeof bytes ||
        target.read_available(return_address - sizeof bytes, bytes) != sizeof bytes)
        return std::nullopt;
    for (unsigned length : kCallLengths) {
        ByteSpan code = ByteSpan(bytes).subspan(sizeof bytes - length);
        if (!may_be_call(static_cast<unsigned>(code[0]), length)) continue;
        auto instruction = decode_instruction(code, return_address - length);
        if (instruction && instruction->kind == Instruction::Kind::call &&
            instruction->length == length)
            return CallBefore{length, instruction->target};
    }
    return std::nullopt;
}

}  // namespace lantern
