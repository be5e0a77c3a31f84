// Births and deaths of blocks that the user wants to stop at: "born number 7", "freed size 24..64".
// The library in front of the allocator compares each request with them, so that none of the others
// stops the program.
#pragma once

#include <list>
#include <optional>
#include <string_view>

#include "core/heap/history.h"
#include "core/session/breakpoint.h"

namespace lantern {

// Where the library's head lies; nothing where it is not loaded. Before the first request it has no
// mark yet, and can be written all the same.
std::optional<RunAddress> heap_library_head(Target& target);
// Nothing for an empty subject: that waits for faults. Throws RequestError for what is not
// understood.
std::optional<heap_tables::Asked> asked_of(std::string_view subject);
// Writes down for the library what all those that are on ask for. Nothing happens where it is not
// loaded.
void tell_heap_library(Target& target, const std::list<Breakpoint>& breakpoints);
// At a stop in the library: what it has met is what the breakpoint asks for.
bool has_met(Target& target, const Breakpoint& breakpoint);

}  // namespace lantern
