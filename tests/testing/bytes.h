// Bytes written as numbers.
#pragma once

#include <cstddef>
#include <initializer_list>
#include <vector>

namespace lantern::testing {

inline std::vector<std::byte> bytes(std::initializer_list<int> values) {
    std::vector<std::byte> out;
    for (int v : values) out.push_back(static_cast<std::byte>(v));
    return out;
}

}  // namespace lantern::testing
