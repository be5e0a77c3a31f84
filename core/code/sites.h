// Turns a line of a source file, or a function, into the positions in the code that stand for it.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/symbols/places.h"

namespace lantern {

struct CodeSite {
    FileAddress address;
    std::string function;  // as it reads at the position: the inlined one, in an inlined copy;
                           // empty where none is known
    std::string file;
    std::uint32_t line = 0;
    bool is_inlined_copy = false;
    std::string inlined_into;   // of such a copy: the function whose code it is in
    bool is_split_off = false;  // a part of a function that what is left of it calls: a call of the
                                // function where nothing of that is recorded
    bool is_statement =
        true;  // false: the compiler lets no statement begin here, it only left a part of one
    std::optional<CodePosition> position;  // nothing: whatever stands at the address
};

struct LineSites {
    std::vector<CodeSite> sites;
    // Filled when no code belongs to the line: the nearest lines of that file that have some,
    // ascending.
    std::vector<std::uint32_t> lines_with_code;
    std::vector<std::string> files;  // the files that matched, as the compiler recorded them
};

// Where a pass through the line begins, in every function and inlined copy that has code of it (see
// statement_begins).
LineSites find_line(const ModuleSymbols& symbols, std::string_view file, std::uint32_t line);

// Where the body of a function starts, its parameters being in place: a position of the function
// itself.
CodePosition body_start(const ModuleSymbols& symbols, const Function& function);

// The same, and where the body of an async function goes on when it has waited: a call of it comes
// to one of them.
std::vector<CodePosition> body_starts(const ModuleSymbols& symbols, const Function& function);

// The site of a function with code, and those of each inlined copy of it.
std::vector<CodeSite> sites_of(const ModuleSymbols& symbols, const Function& function);
// The same of those of one name.
std::vector<CodeSite> sites_of_all(const ModuleSymbols& symbols,
                                   const std::vector<const Function*>& functions);

}  // namespace lantern
