// Linkage names as the source writes them: C++ (Itanium ABI) and Rust, old and new.
#pragma once

#include <string>
#include <string_view>

namespace lantern {

// The name itself where it is not mangled. A symbol's version after '@' is left out.
std::string demangled(std::string_view linkage_name);

}  // namespace lantern
