// Which function of one build is which of another: by name, where it is declared, and what it
// takes. Builds need not be of one compiler.
#pragma once

#include <array>
#include <map>
#include <string>
#include <vector>

#include "core/session/library_rules.h"
#include "core/symbols/module_symbols.h"

namespace lantern {

struct FunctionPair {
    std::string name;
    std::array<std::vector<const Function*>, 2> in;  // all copies; borrowed from the symbols
    std::vector<std::string>
        parameters;  // by name, those that either declares; see name_parameters
};

// A function that no walk can follow in both.
struct Unmatched {
    std::string name, why;
};

struct FunctionPairs {
    std::vector<FunctionPair> pairs;  // both have code
    std::vector<Unmatched> left_out;  // by name
    // Of each build all that have code, libraries' too: they call those of the pairs.
    std::array<std::vector<const Function*>, 2> all;
    // Files that have another name in the second build: by that name, the first one's.
    std::map<std::string, std::string> renamed;
};

using BothBuilds = std::array<const ModuleSymbols*, 2>;

// Those of the user's own source.
FunctionPairs pair_functions(const BothBuilds& builds, const LibraryRules& libraries);

// What the walked values of the functions are called. Throws FormatError.
void name_parameters(const BothBuilds& builds, std::vector<FunctionPair>& pairs);

// The name without what a compiler adds to it: Rust's hash, a version of an interface.
std::string plain_linkage_name(const std::string& name);
std::string file_part(const std::string& path);  // "gate.c" of "/canal/gate.c"

}  // namespace lantern
