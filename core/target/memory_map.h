// The map of a process's memory, as the kernel writes it (proc(5), /proc/PID/maps).
#pragma once

#include <string_view>
#include <vector>

#include "core/target/target.h"

namespace lantern {

// By address. Lines that do not look like a region are passed by.
std::vector<MemoryRegion> parse_maps(std::string_view text);

}  // namespace lantern
