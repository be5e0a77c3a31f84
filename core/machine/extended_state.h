// The processor's state beyond the general registers, out of the area that XSAVE fills (Intel SDM
// 1, chapter 13): x87, vectors of 16, 32 or 64 bytes, masks. Offsets of the newer parts differ
// between processors; they are those of this one where the area is of its size, else the usual
// ones.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <vector>

#include "core/support/byte_reader.h"

namespace lantern {

struct ExtendedState {
    unsigned vector_size = 16;  // bytes of each vector register: 16 SSE, 32 AVX, 64 AVX-512
    std::vector<std::array<std::byte, 64>>
        vectors;  // 16, or 32 with AVX-512; bytes behind vector_size are zero
    std::optional<std::array<std::uint64_t, 8>> masks;
    std::array<std::array<std::byte, 10>, 8> stack{};  // x87, from the top
    std::array<bool, 8> stack_in_use{};
    std::uint16_t control = 0, status = 0, last_opcode = 0;
    std::uint64_t last_instruction = 0, last_operand = 0;
    std::uint32_t vector_control = 0;  // MXCSR
};

// Nothing where the area is too small to be one.
std::optional<ExtendedState> read_extended_state(ByteSpan area);

// Where a byte of vector register `number` or a mask lies in the area, for writing; and which bit
// of the header's first word says that this part is in use. Nothing where the area has no such
// part.
struct AreaPlace {
    std::size_t offset = 0;
    std::uint64_t in_use = 0;
};
std::optional<AreaPlace> place_of_vector_byte(ByteSpan area, unsigned number, unsigned byte);
std::optional<AreaPlace> place_of_mask(ByteSpan area, unsigned number);
AreaPlace place_of_stack(unsigned number);
void mark_in_use(std::span<std::byte> area, const AreaPlace& place);

}  // namespace lantern
