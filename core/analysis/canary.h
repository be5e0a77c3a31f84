// The word that a function puts between its variables and its return address, to find it changed
// when it returns.
#pragma once

#include <optional>

#include "core/code/flow_graph.h"
#include "core/unwind/frame.h"

namespace lantern {

struct Canary {
    RunAddress slot;         // where the function's code stores its copy
    bool is_stored = false;  // every way that leads to where the frame stands has passed the store
};

// From the code of the frame's function; nothing where it stores none. Reads the file's bytes only.
std::optional<Canary> canary_of(const FlowGraph& flow, const Frame& frame);

}  // namespace lantern
