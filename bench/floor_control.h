// The floors that control is measured against: bare loops of the same system calls, doing nothing
// with what they see.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace lantern::bench {

// Continue, wait, read the registers, step over the byte, again; until the program ends. Seconds
// for each hit.
double floor_of_breakpoint(const std::vector<std::string>& command, std::uint64_t address,
                           std::uint64_t entry);
// Continue, wait, read and clear the debug status, read the registers, again.
double floor_of_watch(const std::vector<std::string>& command, std::uint64_t address,
                      std::uint64_t entry);

}  // namespace lantern::bench
