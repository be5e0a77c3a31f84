#include "core/machine/instruction.h"

#include "core/machine/decoder.h"

namespace lantern {
namespace {

std::optional<unsigned> dwarf_number(ZydisRegister reg) {
    static constexpr unsigned kByEncoding[] = {0, 2, 1,  3,  7,  6,  4,  5,
                                               8, 9, 10, 11, 12, 13, 14, 15};
    if (reg >= ZYDIS_REGISTER_RAX && reg <= ZYDIS_REGISTER_R15)
        return kByEncoding[reg - ZYDIS_REGISTER_RAX];
    if (reg >= ZYDIS_REGISTER_EAX && reg <= ZYDIS_REGISTER_R15D)
        return kByEncoding[reg - ZYDIS_REGISTER_EAX];
    if (reg == ZYDIS_REGISTER_RIP) return 16;
    return std::nullopt;
}

Instruction::Kind kind_of(const ZydisDecodedInstruction& instruction) {
    switch (instruction.meta.category) {
        case ZYDIS_CATEGORY_CALL: return Instruction::Kind::call;
        case ZYDIS_CATEGORY_RET: return Instruction::Kind::returns;
        case ZYDIS_CATEGORY_UNCOND_BR: return Instruction::Kind::jump;
        case ZYDIS_CATEGORY_COND_BR: return Instruction::Kind::conditional_jump;
        case ZYDIS_CATEGORY_SYSCALL: return Instruction::Kind::system_call;
        default: break;
    }
    switch (instruction.mnemonic) {
        case ZYDIS_MNEMONIC_UD0:
        case ZYDIS_MNEMONIC_UD1:
        case ZYDIS_MNEMONIC_UD2:
        case ZYDIS_MNEMONIC_HLT: return Instruction::Kind::stops;
        default: return Instruction::Kind::ordinary;
    }
}

}  // namespace

std::optional<Instruction> decode_instruction(ByteSpan bytes, RunAddress address) {
    Decoded whole_of_it;
    if (!decode(bytes, whole_of_it)) return std::nullopt;
    const auto& [decoded, operands] = whole_of_it;
    Instruction result;
    result.address = address;
    result.length = decoded.length;
    result.kind = kind_of(decoded);
    result.is_filler =
        decoded.mnemonic == ZYDIS_MNEMONIC_NOP || decoded.mnemonic == ZYDIS_MNEMONIC_INT3;
    for (unsigned i = 0; i < decoded.operand_count_visible; ++i) {
        const ZydisDecodedOperand& operand = operands[i];
        if (operand.type == ZYDIS_OPERAND_TYPE_IMMEDIATE && operand.imm.is_relative) {
            ZyanU64 absolute = 0;
            if (ZYAN_SUCCESS(
                    ZydisCalcAbsoluteAddress(&decoded, &operand, address.value, &absolute)))
                result.target = RunAddress(absolute);
        }
        if (operand.type == ZYDIS_OPERAND_TYPE_MEMORY) {
            MemoryOperand memory;
            memory.base = dwarf_number(operand.mem.base);
            memory.index = dwarf_number(operand.mem.index);
            memory.displacement = operand.mem.disp.has_displacement ? operand.mem.disp.value : 0;
            memory.size = operand.size / 8;
            memory.writes = (operand.actions & ZYDIS_OPERAND_ACTION_MASK_WRITE) != 0;
            memory.address_only = operand.mem.type == ZYDIS_MEMOP_TYPE_AGEN;
            result.memory.push_back(memory);
        }
    }
    return result;
}

std::string instruction_text(ByteSpan bytes, RunAddress address) {
    Decoded whole_of_it;
    if (!decode(bytes, whole_of_it)) return "(bad)";
    const auto& [decoded, operands] = whole_of_it;
    ZydisFormatter formatter;
    ZydisFormatterInit(&formatter, ZYDIS_FORMATTER_STYLE_INTEL);
    char text[160];
    if (!ZYAN_SUCCESS(ZydisFormatterFormatInstruction(&formatter, &decoded, operands,
                                                      decoded.operand_count_visible, text,
                                                      sizeof text, address.value, nullptr)))
        return "(bad)";
    return text;
}

}  // namespace lantern
