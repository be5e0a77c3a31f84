// The processor's debug registers (Intel SDM 3B, §17.2): four addresses, a status, and a control
// that says what is watched.
#pragma once

#include <cstdint>

namespace lantern {

constexpr unsigned kDebugAddresses = 4, kDebugStatus = 6, kDebugControl = 7;
constexpr unsigned kWidestWatch = 8;  // bytes

// The bits of the control register for one address. `length` is 1, 2, 4 or 8.
constexpr std::uint64_t debug_control(unsigned number, unsigned length, bool on_reads) {
    std::uint64_t lengths = length == 8 ? 2 : length - 1;
    return std::uint64_t{1} << (2 * number) |
           std::uint64_t{on_reads ? 3u : 1u} << (16 + 4 * number) | lengths << (18 + 4 * number);
}

}  // namespace lantern
