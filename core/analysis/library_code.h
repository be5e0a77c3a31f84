// What is part of a language's own library, as far as its name tells.
#pragma once

#include <string_view>

namespace lantern {

// "the C++ library", "Rust's library"; empty for anything else. Of a function, a type or a
// variable, by its qualified name.
std::string_view language_library(std::string_view name, bool is_rust);

}  // namespace lantern
