// What a walk's program wrote, line by line.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "core/comparison/walk.h"

namespace lantern {

struct WrittenLine {
    std::string text;         // with its end, if it came
    std::uint32_t event = 0;  // that wrote the first byte of it
};

// By descriptor.
std::map<std::uint64_t, std::vector<WrittenLine>> written_lines(const Walk& walk);

}  // namespace lantern
