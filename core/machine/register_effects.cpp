#include "core/machine/register_effects.h"

#include "core/machine/calling_convention.h"
#include "core/machine/decoder.h"
#include "core/machine/registers.h"

namespace lantern {
namespace {

bool combines_to_zero(const ZydisDecodedInstruction& instruction,
                      const ZydisDecodedOperand* operands) {
    switch (instruction.mnemonic) {
        case ZYDIS_MNEMONIC_XOR:
        case ZYDIS_MNEMONIC_SUB:
        case ZYDIS_MNEMONIC_XORPS:
        case ZYDIS_MNEMONIC_XORPD:
        case ZYDIS_MNEMONIC_PXOR:
            return operands[0].type == ZYDIS_OPERAND_TYPE_REGISTER &&
                   operands[1].type == ZYDIS_OPERAND_TYPE_REGISTER &&
                   operands[0].reg.value == operands[1].reg.value;
        case ZYDIS_MNEMONIC_VXORPS:
        case ZYDIS_MNEMONIC_VXORPD:
        case ZYDIS_MNEMONIC_VPXOR:
        case ZYDIS_MNEMONIC_VPXORD:
        case ZYDIS_MNEMONIC_VPXORQ:
            return instruction.operand_count_visible == 3 &&
                   operands[1].type == ZYDIS_OPERAND_TYPE_REGISTER &&
                   operands[2].type == ZYDIS_OPERAND_TYPE_REGISTER &&
                   operands[1].reg.value == operands[2].reg.value;
        default: return false;
    }
}

// Four bytes of a general register or all eight; of a vector all that an instruction without VEX
// knows of, or anything with it.
bool is_overwritten(const ZydisDecodedInstruction& instruction, const ZydisDecodedOperand& operand,
                    unsigned number) {
    if ((operand.actions & ZYDIS_OPERAND_ACTION_CONDWRITE) ||
        !(operand.actions & ZYDIS_OPERAND_ACTION_WRITE))
        return false;
    bool keeps_some = instruction.avx.mask.mode ==
                      ZYDIS_MASK_MODE_MERGING;  // the elements that the mask leaves out
    if (number < kFirstVectorRegister) return operand.size >= 32;
    if (number < kFirstVectorRegister + kVectorRegisters)
        return instruction.encoding != ZYDIS_INSTRUCTION_ENCODING_LEGACY && operand.size >= 128 &&
               !keeps_some;
    return true;
}

void add_flags(const ZydisDecodedInstruction& instruction, RegisterEffects& effects) {
    const ZydisAccessedFlags* flags = instruction.cpu_flags;
    if (!flags) return;
    constexpr ZydisAccessedFlagsMask kStatus = ZYDIS_CPUFLAG_CF | ZYDIS_CPUFLAG_PF |
                                               ZYDIS_CPUFLAG_AF | ZYDIS_CPUFLAG_ZF |
                                               ZYDIS_CPUFLAG_SF | ZYDIS_CPUFLAG_OF;
    RegisterSet all = RegisterSet::of(kFlagsRegister);
    ZydisAccessedFlagsMask written =
        flags->modified | flags->set_0 | flags->set_1 | flags->undefined;
    if (flags->tested) effects.reads |= all;
    if (written) effects.writes |= all;
    if ((written & kStatus) == kStatus) effects.overwrites |= all;
}

}  // namespace

std::optional<RegisterEffects> register_effects_of(ByteSpan bytes) {
    Decoded whole;
    if (!decode(bytes, whole)) return std::nullopt;
    const auto& [instruction, operands] = whole;
    RegisterEffects effects;
    bool is_nothing = instruction.meta.category == ZYDIS_CATEGORY_NOP ||
                      instruction.meta.category == ZYDIS_CATEGORY_WIDENOP;
    bool is_zeroing = combines_to_zero(instruction, operands);
    for (unsigned i = 0; i < instruction.operand_count; ++i) {
        const ZydisDecodedOperand& operand = operands[i];
        if (operand.type == ZYDIS_OPERAND_TYPE_MEMORY) {
            if (is_nothing) continue;
            for (ZydisRegister part : {operand.mem.base, operand.mem.index})
                if (auto number = dwarf_number_of(part); number && number != kProgramCounterNumber)
                    effects.reads |= RegisterSet::of(*number);
            if (operand.mem.type == ZYDIS_MEMOP_TYPE_AGEN) continue;
            effects.reads_memory |= (operand.actions & ZYDIS_OPERAND_ACTION_MASK_READ) != 0;
            effects.writes_memory |= (operand.actions & ZYDIS_OPERAND_ACTION_MASK_WRITE) != 0;
        }
        if (operand.type != ZYDIS_OPERAND_TYPE_REGISTER || is_nothing) continue;
        auto number = dwarf_number_of(operand.reg.value);
        if (!number || *number == kProgramCounterNumber) continue;
        RegisterSet one = RegisterSet::of(*number);
        bool reads = (operand.actions & ZYDIS_OPERAND_ACTION_MASK_READ) != 0;
        if (reads && !(is_zeroing && operand.visibility == ZYDIS_OPERAND_VISIBILITY_EXPLICIT))
            effects.reads |= one;
        if (operand.actions & ZYDIS_OPERAND_ACTION_MASK_WRITE) effects.writes |= one;
        if (is_overwritten(instruction, operand, *number) || (is_zeroing && i == 0))
            effects.overwrites |= one;
    }
    add_flags(instruction, effects);
    return effects;
}

RegisterSet read_by_a_call() {
    RegisterSet set = RegisterSet::of(kVectorCountRegister) | RegisterSet::of(kStackPointerNumber) |
                      RegisterSet::of(10);  // r10: the static chain
    for (unsigned number : kIntegerParameters) set |= RegisterSet::of(number);
    for (unsigned i = 0; i < kVectorParameters; ++i)
        set |= RegisterSet::of(kFirstVectorRegister + i);
    return set;
}

RegisterSet lost_by_a_call() {
    RegisterSet set = RegisterSet::of(kFlagsRegister);
    for (unsigned number = 0; number < kProgramCounterNumber; ++number)
        if (!is_kept_by_calls(number)) set |= RegisterSet::of(number);
    for (unsigned number = kFirstVectorRegister; number < kFirstVectorRegister + kVectorRegisters;
         ++number)
        set |= RegisterSet::of(number);
    for (unsigned number = kFirstStackRegister; number < kFirstStackRegister + 16; ++number)
        set |= RegisterSet::of(number);
    for (unsigned number = kFirstMask; number < kFirstMask + 8; ++number)
        set |= RegisterSet::of(number);
    return set;
}

RegisterSet handed_back() {
    RegisterSet set =
        RegisterSet::of(0) | RegisterSet::of(1) | RegisterSet::of(kFirstVectorRegister) |
        RegisterSet::of(kFirstVectorRegister + 1) | RegisterSet::of(kFirstStackRegister) |
        RegisterSet::of(kFirstStackRegister + 1);
    for (unsigned number = 0; number < kProgramCounterNumber; ++number)
        if (is_kept_by_calls(number)) set |= RegisterSet::of(number);
    return set;
}

}  // namespace lantern
