// What Elm Lantern does, for finding faults in itself: off unless --log FILE was given.
#pragma once

#include <string>

namespace lantern::cli {

// Throws FileError. Empty: nothing is logged.
void start_log(const std::string& file);
void log_line(const std::string& text);

}  // namespace lantern::cli
