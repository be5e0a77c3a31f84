// The status bits of the flags register (Intel SDM 1, §3.4.3.1).
#pragma once

#include <cstdint>

namespace lantern {

constexpr std::uint64_t kCarry = 1 << 0, kParity = 1 << 2, kAdjust = 1 << 4, kZero = 1 << 6,
                        kSign = 1 << 7, kOverflow = 1 << 11;

}  // namespace lantern
