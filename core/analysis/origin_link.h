// One step of the way that a value came, and where in the code it was taken.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace lantern {

class Module;
struct FunctionCode;

enum class Certainty { certain, likely, guess };

struct OriginLink {
    Certainty certainty = Certainty::certain;
    std::string because;      // why it is not certain
    std::string text;         // "barge is set to what lookup returned"
    std::string name;         // what the source calls the value there, where that is all it says
    std::string returned_by;  // it is what this function of the program returned; else empty
    unsigned level = 0;       // of the frame
    std::string function, file;
    std::uint32_t line = 0;  // 0: not known
    std::uint64_t at = 0;    // run address of the instruction
};

// Where an instruction of a function stands.
void place_link(OriginLink& link, const FunctionCode& code, std::uint32_t node,
                const Module* module);
// "line 12", "one of the lines 12, 15", of the function's own file.
std::string lines_of_nodes(const FunctionCode& code, const std::vector<std::uint32_t>& nodes);

}  // namespace lantern
