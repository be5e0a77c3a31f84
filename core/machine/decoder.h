// The library's decoder, set up once for this processor; for the files of this folder.
#pragma once

#include <Zydis/Zydis.h>

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
    return ZYAN_SUCCESS(ZydisDecoderDecodeFull(&decoder, bytes.data(), bytes.size(), &decoded.instruction, decoded.operands));
}

}  // namespace lantern
