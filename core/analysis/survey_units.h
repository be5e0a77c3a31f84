// The part of a survey that walks every entry of every unit: inlined calls, variables and where
// they are kept.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <set>
#include <string>
#include <vector>

#include "core/dwarf/line_program.h"
#include "core/symbols/module_symbols.h"

namespace lantern::dwarf {

struct UnitSurvey {
    std::uint64_t functions = 0, code_bytes = 0, inlined_calls = 0;
    std::uint64_t variables = 0, everywhere = 0, partly = 0, nowhere = 0,
                  moving = 0;               // moving: kept in more than one place
    double coverage = 0;                    // sum over the variables of the share covered
    std::vector<Position> inlined_origins;  // each once
    std::vector<LineFile> files;
    // The same of each function with code.
    struct OfFunction {
        Position entry = 0;
        std::uint64_t code_bytes = 0;
        std::uint32_t variables = 0;
        float coverage = 0;  // sum over its variables
    };
    std::vector<OfFunction> each;
    // Calls that were inlined: the entry of what was, and of the function it is in.
    std::vector<std::pair<Position, Position>> copies;
};

// By index of the unit. On all processors; damaged units count as far as they could be read.
std::vector<UnitSurvey> survey_units(const DebugInfo& info, const CodeAreas& areas,
                                     const std::function<void(double)>& progress);

}  // namespace lantern::dwarf
