// The words of --guard and --keep-freed.
#pragma once

#include <string>
#include <string_view>

#include "core/session/heap_launch.h"

namespace lantern::cli {

// "64M", in bytes. False: it is no number.
bool take_bytes(std::string_view text, std::uint64_t& into);
// "all", "none", "first 5000", "every 100", "size 24..64". False: it is none of them.
bool take_guard(std::string_view text, HeapWish& wish);

// The library that is put in front of the allocator: beside this program, or where it is installed
// to.
std::string heap_library();

}  // namespace lantern::cli
