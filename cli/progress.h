// A line on the terminal while something takes long, and the way to give it up.
#pragma once

#include <functional>
#include <string>

namespace lantern::cli {

// Shows how far the names of a file have been read, from a third of a second on and only on a
// terminal. Ctrl-C, which a session holds back for the program it debugs, ends the reading with a
// RequestError.
std::function<void(const std::string& file, double done)> names_progress();
// The same for other long work: "saving the core".
std::function<void(double done)> work_progress(std::string what);
void clear_progress();
// Somebody else who may want such work to end, as by Ctrl-C: asked now and then while it goes on.
// Empty: nobody.
void give_up_when(std::function<bool()> is_wanted);

}  // namespace lantern::cli
