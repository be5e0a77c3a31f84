// What comes through a pipe, kept so that several programs can read it from its beginning.
#pragma once

#include <string>

namespace lantern::cli {

// Reads our own standard input to its end, once; a path that can be opened as often as it is wanted
// while this program runs. Throws FileError.
std::string kept_input();

}  // namespace lantern::cli
