#include "core/target/code_at.h"

namespace lantern {

std::optional<InstructionAt> whole_instruction_at(Target& target, RunAddress address) {
    InstructionAt found;
    std::size_t readable = target.read_available(address, found.storage);
    auto decoded = decode_instruction(ByteSpan(found.storage).first(readable), address);
    if (!decoded) return std::nullopt;
    found.instruction = std::move(*decoded);
    return found;
}

std::optional<Instruction> instruction_at(Target& target, RunAddress address) {
    auto found = whole_instruction_at(target, address);
    return found ? std::optional(std::move(found->instruction)) : std::nullopt;
}

FunctionAt function_at(Target& target, RunAddress address) {
    const Module* module = target.module_at(address);
    return {module, module ? module->symbols().function_at(module->to_file(address)) : nullptr};
}

}  // namespace lantern
