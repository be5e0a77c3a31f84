// From an address to everything that claims it, and from a line to all code it owns.
#pragma once

#include <string>
#include <vector>

#include "core/symbols/module_symbols.h"

namespace lantern {

// One step of the way in: the function itself, or a call in it that was inlined.
struct CodeFrame {
    std::string function;
    std::string file;  // as the compiler recorded it; empty where nothing is known
    std::uint32_t line = 0;
    std::uint16_t column = 0;
    bool is_inlined = false;
};

// Innermost first; empty where no function claims the address.
std::vector<CodeFrame> frames_at(const ModuleSymbols& symbols, FileAddress address);

struct LineBlock {
    FileRange range;
    std::string function;  // the inlined one where the block is inside an inlined call
    std::string inlined_into;
    std::uint32_t line = 0;
};
// All stretches of code that belong to the line, by address; neighbours of one function are one
// block.
std::vector<LineBlock> blocks_of_line(const ModuleSymbols& symbols, std::string_view file,
                                      std::uint32_t line);

}  // namespace lantern
