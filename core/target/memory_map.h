// The map of a process's memory, as the kernel writes it (proc(5), /proc/PID/maps).
#pragma once

#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "core/target/target.h"

namespace lantern {

// By address. Lines that do not look like a region are passed by.
std::vector<MemoryRegion> parse_maps(std::string_view text);

// The first piece of each loaded file, by its path. A program may map a file to read it too, even a
// library that it has loaded besides, and below that:
//
//     7f0000000000 r--p 00000000 …/libgate.so      all of it, to be read
//     7f0000200000 r--p 00000000 …/libgate.so      loaded: what follows can be run
//     7f0000201000 r-xp 00001000 …/libgate.so
std::map<std::string, RunRange> loaded_files(const std::vector<MemoryRegion>& regions);

// The path of a file that the kernel says has been removed or replaced since: "… (deleted)".
std::string without_deleted_mark(std::string path);

}  // namespace lantern
