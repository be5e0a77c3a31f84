// What the compiler has made of a function: what is left of each statement, where its code went,
// and why, as far as that can be known.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/analysis/compiler_records.h"
#include "core/session/moment.h"
#include "core/session/place.h"

namespace lantern {

struct BecameFact {
    enum class Ground {
        seen,      // in the code, or in the debug information
        said,      // by the compiler, in the records it wrote
        possible,  // nothing rules it out, and the text names the ground for it
    } ground = Ground::seen;
    std::string text;
};

struct BecameLine {
    std::uint32_t line = 0, last_line = 0;  // of the statement; of a loop or choice: of its head
    std::string source;                     // the first line's text; empty: the source is not here
    std::size_t instructions = 0;           // what is inlined in it counts too
    std::size_t stretches = 0;              // of code that lies together
    // Of one without an instruction of its own that the line table still names: where it is passed
    // (run address); else 0.
    std::uint64_t passed_at = 0;
    bool is_expected = true;  // false: a declaration, a brace or the like, which needs no code
    std::vector<BecameFact> facts;

    bool is_gone() const { return is_expected && instructions == 0; }
};

struct BecameReport {
    std::string function, file;
    std::string symbol;  // the linker's name of this copy, where it tells more: "pass.constprop.0"
    bool has_source = false, is_stale = false;
    std::uint64_t address = 0;  // run address
    std::size_t instructions = 0, bytes = 0, parts = 0;
    std::vector<BecameFact> facts;  // about all of it
    std::vector<BecameLine> lines;  // in the order of the source
};

// The function at the place, or the selected frame's. Throws RequestError where there is no such
// place, or only copies that are inlined elsewhere. Both are borrowed from the target.
struct CodeWanted {
    const Module* module = nullptr;
    const Function* function = nullptr;
};
CodeWanted wanted_function(const Moment& moment, const std::optional<Place>& place);

// Of the function at the place, or of the selected frame's. Throws RequestError where there is no
// such place, or only copies that are inlined elsewhere.
// `records`: what the compiler wrote about its work; may be empty.
BecameReport report_became(const Moment& moment, const std::optional<Place>& place,
                           const std::vector<CompilerRecord>& records);

}  // namespace lantern
