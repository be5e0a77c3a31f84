// The unit in which memory is mapped and protected (Intel SDM 3, §4.5: the smallest of its pages).
#pragma once

#include <cstdint>

namespace lantern {

constexpr std::uint64_t kPageSize = 4096;  // bytes

}  // namespace lantern
