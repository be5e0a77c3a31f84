#include "core/machine/stack_change.h"

#include "core/machine/decoder.h"

namespace lantern {
namespace {

using StackEffect = StackChange::Kind;

bool is_register(const ZydisDecodedOperand& operand, ZydisRegister reg) {
    return operand.type == ZYDIS_OPERAND_TYPE_REGISTER && operand.reg.value == reg;
}

bool writes_stack_pointer(const Decoded& decoded) {
    for (unsigned i = 0; i < decoded.instruction.operand_count; ++i) {
        const ZydisDecodedOperand& operand = decoded.operands[i];
        bool is_written = operand.type == ZYDIS_OPERAND_TYPE_REGISTER &&
                          (operand.actions & ZYDIS_OPERAND_ACTION_MASK_WRITE);
        if (is_written && ZydisRegisterGetLargestEnclosing(ZYDIS_MACHINE_MODE_LONG_64,
                                                           operand.reg.value) == ZYDIS_REGISTER_RSP)
            return true;
    }
    return false;
}

// "add rsp, 24", "and rsp, -32": the number.
const std::int64_t* number_of(const Decoded& decoded) {
    const ZydisDecodedOperand& operand = decoded.operands[1];
    return operand.type == ZYDIS_OPERAND_TYPE_IMMEDIATE ? &operand.imm.value.s : nullptr;
}

StackChange by_address(const ZydisDecodedOperand& operand) {
    const auto& memory = operand.mem;
    if (memory.index != ZYDIS_REGISTER_NONE) return {StackEffect::unknown};
    std::int64_t amount = memory.disp.has_displacement ? memory.disp.value : 0;
    if (memory.base == ZYDIS_REGISTER_RSP) return {StackEffect::adds, amount};
    if (memory.base == ZYDIS_REGISTER_RBP) return {StackEffect::to_frame, amount};
    return {StackEffect::unknown};
}

StackChange change_of_stack_pointer(const Decoded& decoded) {
    const std::int64_t* number = number_of(decoded);
    bool is_its_own = is_register(decoded.operands[0], ZYDIS_REGISTER_RSP);
    std::int64_t width = decoded.instruction.operand_width / 8;
    constexpr std::int64_t kWord = 8;
    switch (decoded.instruction.mnemonic) {
        case ZYDIS_MNEMONIC_PUSH:
        case ZYDIS_MNEMONIC_PUSHFQ: return {StackEffect::adds, -width};
        case ZYDIS_MNEMONIC_POP:
        case ZYDIS_MNEMONIC_POPFQ:
            return is_its_own ? StackChange{StackEffect::unknown}
                              : StackChange{StackEffect::adds, width};
        case ZYDIS_MNEMONIC_CALL:
        case ZYDIS_MNEMONIC_RET: return {};
        case ZYDIS_MNEMONIC_LEAVE: return {StackEffect::takes_over_frame, kWord};
        case ZYDIS_MNEMONIC_SUB:
            return is_its_own && number ? StackChange{StackEffect::adds, -*number}
                                        : StackChange{StackEffect::unknown};
        case ZYDIS_MNEMONIC_ADD:
            return is_its_own && number ? StackChange{StackEffect::adds, *number}
                                        : StackChange{StackEffect::unknown};
        case ZYDIS_MNEMONIC_AND:
            return is_its_own && number && *number < 0 ? StackChange{StackEffect::aligns, -*number}
                                                       : StackChange{StackEffect::unknown};
        case ZYDIS_MNEMONIC_LEA: return by_address(decoded.operands[1]);
        case ZYDIS_MNEMONIC_MOV:
            return is_register(decoded.operands[1], ZYDIS_REGISTER_RBP)
                       ? StackChange{StackEffect::to_frame, 0}
                       : StackChange{StackEffect::unknown};
        default: return {StackEffect::unknown};
    }
}

}  // namespace

StackChange stack_change(ByteSpan bytes) {
    Decoded decoded;
    if (!decode(bytes, decoded)) return {StackEffect::unknown};
    if (writes_stack_pointer(decoded)) return change_of_stack_pointer(decoded);
    bool keeps_in_frame = decoded.instruction.mnemonic == ZYDIS_MNEMONIC_MOV &&
                          is_register(decoded.operands[0], ZYDIS_REGISTER_RBP) &&
                          is_register(decoded.operands[1], ZYDIS_REGISTER_RSP);
    return {keeps_in_frame ? StackEffect::into_frame : StackEffect::none};
}

}  // namespace lantern
