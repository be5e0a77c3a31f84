// The processor's own clock: it counts on at one pace in all of its cores (Intel SDM 3, §18.17).
#pragma once

#include <cstdint>

namespace lantern {

inline std::uint64_t timestamp() {
    return __builtin_ia32_rdtsc();
}

}  // namespace lantern
