// What a compiler says of itself and of how it was called (DW_AT_producer, DWARF 5 §3.1.1):
// "GNU C17 12.2.0 -mtune=generic -g -O2".
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace lantern {

// The last -O option of the record; gcc without any means -O0. Nothing where it keeps no options,
// as clang and rustc do not.
std::optional<std::string> recorded_optimisation(std::string_view producer);

}  // namespace lantern
