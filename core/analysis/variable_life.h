// Where the variables of a function live, instruction by instruction: what a picture of it needs.
#pragma once

#include <string>
#include <vector>

#include "core/session/moment.h"
#include "core/values/place_text.h"

namespace lantern {

struct LifeInstruction {
    RunAddress address;
    std::uint32_t line = 0;  // of the function's own source, what is inlined counting for its call
    std::string text;        // of that line; empty where its source is not here
};

struct LifeStretch {
    std::size_t first = 0, last = 0;  // instructions, the last included
    PlaceKind kind = PlaceKind::nowhere;
    std::string place;  // "in rax"
};

struct VariableLane {
    std::string name;
    std::vector<LifeStretch> stretches;  // by address, without those where it lives nowhere
};

struct VariableLife {
    std::string function;
    std::vector<LifeInstruction> instructions;  // by address
    std::size_t here = 0;                       // the one that is about to run, or runs
    std::vector<VariableLane> lanes;            // the one that was asked for first
};

// Of the variable of the selected frame, and of the others of its function. Throws RequestError
// where there is no such variable, or no code that is known.
VariableLife report_life(const Moment& moment, const std::string& name);

}  // namespace lantern
