#include "core/machine/effects.h"

#include "core/machine/decoder.h"

namespace lantern {
namespace {

bool takes_any_address(ZydisMnemonic mnemonic) {
    switch (mnemonic) {
        case ZYDIS_MNEMONIC_MOVUPS:
        case ZYDIS_MNEMONIC_MOVUPD:
        case ZYDIS_MNEMONIC_MOVDQU:
        case ZYDIS_MNEMONIC_LDDQU:
        case ZYDIS_MNEMONIC_PCMPESTRI:
        case ZYDIS_MNEMONIC_PCMPESTRM:
        case ZYDIS_MNEMONIC_PCMPISTRI:
        case ZYDIS_MNEMONIC_PCMPISTRM: return true;
        default: return false;
    }
}

// Intel SDM 2, §2.4 and §2.7: which kinds of instruction insist on an aligned operand.
unsigned required_alignment(const ZydisDecodedInstruction& instruction,
                            const ZydisDecodedOperand& operand) {
    unsigned size = operand.size / 8;
    if (instruction.mnemonic == ZYDIS_MNEMONIC_CMPXCHG16B ||
        instruction.mnemonic == ZYDIS_MNEMONIC_FXSAVE ||
        instruction.mnemonic == ZYDIS_MNEMONIC_FXRSTOR)
        return 16;
    if (takes_any_address(instruction.mnemonic)) return 1;
    switch (instruction.meta.exception_class) {
        case ZYDIS_EXCEPTION_CLASS_SSE1:
        case ZYDIS_EXCEPTION_CLASS_SSE2:
        case ZYDIS_EXCEPTION_CLASS_SSE4: return size == 16 ? 16 : 1;
        case ZYDIS_EXCEPTION_CLASS_AVX1:
        case ZYDIS_EXCEPTION_CLASS_E1:
        case ZYDIS_EXCEPTION_CLASS_E1NF: return size >= 16 ? size : 1;
        default: return 1;
    }
}

MemoryAccess access_of(const ZydisDecodedInstruction& instruction,
                       const ZydisDecodedOperand& operand) {
    MemoryAccess access;
    if (operand.mem.base != ZYDIS_REGISTER_NONE) access.base = dwarf_number_of(operand.mem.base);
    if (operand.mem.index != ZYDIS_REGISTER_NONE) {
        auto index = dwarf_number_of(operand.mem.index);
        if (index && *index < kFirstVectorRegister)
            access.index = index;
        else
            access.has_other_registers = true;
    }
    access.scale = operand.mem.scale ? operand.mem.scale : 1;
    access.displacement = operand.mem.disp.has_displacement ? operand.mem.disp.value : 0;
    if (operand.mem.segment == ZYDIS_REGISTER_FS) access.segment = MemoryAccess::Segment::fs;
    if (operand.mem.segment == ZYDIS_REGISTER_GS) access.segment = MemoryAccess::Segment::gs;
    access.size = operand.size / 8;
    access.alignment = required_alignment(instruction, operand);
    access.reads = (operand.actions & ZYDIS_OPERAND_ACTION_MASK_READ) != 0;
    access.writes = (operand.actions & ZYDIS_OPERAND_ACTION_MASK_WRITE) != 0;
    access.is_implied = operand.visibility == ZYDIS_OPERAND_VISIBILITY_HIDDEN;
    // The stack pointer moves down first.
    if (access.is_implied && access.writes && operand.mem.base == ZYDIS_REGISTER_RSP)
        access.displacement -= access.size;
    return access;
}

}  // namespace

std::optional<Effects> effects_of(ByteSpan bytes) {
    Decoded whole;
    if (!decode(bytes, whole)) return std::nullopt;
    const auto& [instruction, operands] = whole;
    Effects effects;
    effects.is_privileged = (instruction.attributes & ZYDIS_ATTRIB_IS_PRIVILEGED) != 0;
    bool both_registers = instruction.operand_count_visible == 2 &&
                          operands[0].type == ZYDIS_OPERAND_TYPE_REGISTER &&
                          operands[1].type == ZYDIS_OPERAND_TYPE_REGISTER;
    effects.is_copy = both_registers && instruction.mnemonic == ZYDIS_MNEMONIC_MOV;
    bool clears =
        instruction.mnemonic == ZYDIS_MNEMONIC_XOR || instruction.mnemonic == ZYDIS_MNEMONIC_SUB ||
        instruction.mnemonic == ZYDIS_MNEMONIC_XORPS ||
        instruction.mnemonic == ZYDIS_MNEMONIC_XORPD || instruction.mnemonic == ZYDIS_MNEMONIC_PXOR;
    effects.clears_its_register =
        both_registers && clears && operands[0].reg.value == operands[1].reg.value;
    effects.aligns_stack = instruction.mnemonic == ZYDIS_MNEMONIC_AND &&
                           operands[0].type == ZYDIS_OPERAND_TYPE_REGISTER &&
                           operands[0].reg.value == ZYDIS_REGISTER_RSP;
    effects.divides =
        instruction.mnemonic == ZYDIS_MNEMONIC_DIV || instruction.mnemonic == ZYDIS_MNEMONIC_IDIV;
    for (unsigned i = 0; i < instruction.operand_count; ++i) {
        const ZydisDecodedOperand& operand = operands[i];
        if (operand.type == ZYDIS_OPERAND_TYPE_MEMORY && operand.mem.type == ZYDIS_MEMOP_TYPE_AGEN)
            effects.address = access_of(instruction, operand);
        bool is_implied = operand.visibility == ZYDIS_OPERAND_VISIBILITY_HIDDEN;
        if (operand.type == ZYDIS_OPERAND_TYPE_MEMORY &&
            operand.mem.type != ZYDIS_MEMOP_TYPE_AGEN &&
            instruction.meta.category != ZYDIS_CATEGORY_NOP &&
            instruction.meta.category != ZYDIS_CATEGORY_WIDENOP)
            effects.memory.push_back(access_of(instruction, operand));
        if (operand.type != ZYDIS_OPERAND_TYPE_REGISTER) continue;
        auto number = dwarf_number_of(operand.reg.value);
        if (!number || *number == kProgramCounterNumber || *number >= kFirstStackRegister + 8)
            continue;
        effects.registers.push_back(
            {*number, operand.size / 8u, (operand.actions & ZYDIS_OPERAND_ACTION_MASK_READ) != 0,
             (operand.actions & ZYDIS_OPERAND_ACTION_MASK_WRITE) != 0, is_implied});
    }
    return effects;
}

std::optional<std::uint64_t> accessed_address(const MemoryAccess& access,
                                              const Registers& registers, RunAddress next,
                                              std::uint64_t gs_base) {
    if (access.has_other_registers) return std::nullopt;
    std::uint64_t address = static_cast<std::uint64_t>(access.displacement);
    if (access.base) {
        auto base = *access.base == kGeneralRegisters - 1 ? std::optional(next.value)
                                                          : registers.get(*access.base);
        if (!base) return std::nullopt;
        address += *base;
    }
    if (access.index) {
        auto index = registers.get(*access.index);
        if (!index) return std::nullopt;
        address += *index * access.scale;
    }
    if (access.segment == MemoryAccess::Segment::fs) address += registers.thread_base;
    if (access.segment == MemoryAccess::Segment::gs) address += gs_base;
    return address;
}

}  // namespace lantern
