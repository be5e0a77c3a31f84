// The library's decoder, set up once for this processor; for the files of this folder.
#pragma once

#include <Zydis/Zydis.h>

#include <optional>

#include "core/machine/registers.h"
#include "core/support/byte_reader.h"

namespace lantern {

struct Decoded {
    ZydisDecodedInstruction instruction;
    ZydisDecodedOperand operands[ZYDIS_MAX_OPERAND_COUNT];
};

// False if the bytes are no instruction or are cut off.
inline bool decode(ByteSpan bytes, Decoded& decoded) {
    static const ZydisDecoder decoder = [] {
        ZydisDecoder made;
        ZydisDecoderInit(&made, ZYDIS_MACHINE_MODE_LONG_64, ZYDIS_STACK_WIDTH_64);
        return made;
    }();
    return ZYAN_SUCCESS(ZydisDecoderDecodeFull(&decoder, bytes.data(), bytes.size(),
                                               &decoded.instruction, decoded.operands));
}

// The DWARF number of the register that one of the library's names is all or a part of (System V
// ABI x86-64, figure 3.36); nothing for one that has none, and for vectors 16 to 31.
inline std::optional<unsigned> dwarf_number_of(ZydisRegister reg) {
    static constexpr unsigned kByEncoding[] = {0, 2, 1,  3,  7,  6,  4,  5,
                                               8, 9, 10, 11, 12, 13, 14, 15};
    ZydisRegister whole = ZydisRegisterGetLargestEnclosing(ZYDIS_MACHINE_MODE_LONG_64, reg);
    if (whole >= ZYDIS_REGISTER_RAX && whole <= ZYDIS_REGISTER_R15)
        return kByEncoding[whole - ZYDIS_REGISTER_RAX];
    if (whole >= ZYDIS_REGISTER_ZMM0 && whole <= ZYDIS_REGISTER_ZMM15)
        return kFirstVectorRegister + (whole - ZYDIS_REGISTER_ZMM0);
    if (reg >= ZYDIS_REGISTER_ST0 && reg <= ZYDIS_REGISTER_ST7)
        return kFirstStackRegister + (reg - ZYDIS_REGISTER_ST0);
    if (reg >= ZYDIS_REGISTER_MM0 && reg <= ZYDIS_REGISTER_MM7)
        return kFirstStackRegister + 8 + (reg - ZYDIS_REGISTER_MM0);
    if (reg >= ZYDIS_REGISTER_K0 && reg <= ZYDIS_REGISTER_K7)
        return kFirstMask + (reg - ZYDIS_REGISTER_K0);
    if (reg == ZYDIS_REGISTER_RIP) return kProgramCounterNumber;
    return std::nullopt;
}

}  // namespace lantern
