// What a call looks like from behind: instructions cannot be read backwards, so each length that
// one can have is tried (Intel SDM 2A, CALL).
#pragma once

namespace lantern {

constexpr unsigned kCallLengths[] = {5, 2, 3, 6, 7, 4, 8};  // the direct one first
constexpr unsigned kLongestCall = 8;

// By its first byte: a direct call, one through a register or memory, or a prefix of such a one.
constexpr bool may_be_call(unsigned first_byte, unsigned length) {
    bool is_direct = length == 5 && first_byte == 0xe8, is_indirect = first_byte == 0xff;
    bool is_prefix = (first_byte >= 0x40 && first_byte < 0x50) || first_byte == 0x3e ||
                     first_byte == 0xf2 || first_byte == 0x64 || first_byte == 0x67;
    return is_direct || is_indirect || is_prefix;
}

}  // namespace lantern
