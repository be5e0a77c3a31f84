#include "core/target/code_at.h"

namespace lantern {

std::optional<Instruction> instruction_at(Target& target, RunAddress address) {
    std::byte bytes[kLongestInstruction];
    return decode_instruction(ByteSpan(bytes, target.read_available(address, bytes)), address);
}

FunctionAt function_at(Target& target, RunAddress address) {
    const Module* module = target.module_at(address);
    return {module, module ? module->symbols().function_at(module->to_file(address)) : nullptr};
}

}  // namespace lantern
