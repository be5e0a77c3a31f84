// Turns what a person types as a place into addresses of code: FILE:LINE, a line, a function.
#pragma once

#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "core/symbols/module_symbols.h"

namespace lantern {

struct CodeSite {
    FileAddress address;
    std::string function;  // empty where none is known
    std::string file;
    std::uint32_t line = 0;
    bool is_inlined_copy = false;
};

struct LineSites {
    std::vector<CodeSite> sites;
    // Filled when no code belongs to the line: the nearest lines of that file that have some, ascending.
    std::vector<std::uint32_t> lines_with_code;
    std::vector<std::string> files;  // the files that matched, as the compiler recorded them
};

// True if `path` ends in `wanted`, whole components only: "flight/lock.c" matches "/canal/flight/lock.c".
bool path_matches(std::string_view path, std::string_view wanted);

// All source files the module mentions that match, each once.
std::vector<std::string> find_files(const ModuleSymbols& symbols, std::string_view wanted);

// Units whose line tables may have rows of the file: `wanted` as in path_matches.
std::vector<const dwarf::Unit*> units_mentioning(const ModuleSymbols& symbols, std::string_view wanted);
// The lines of one unit that have statements, in the files that match.
std::set<std::uint32_t> lines_with_code_in(const ModuleSymbols& symbols, const dwarf::Unit& unit, std::string_view wanted);

// One site for each function or inlined copy that has code of the line.
LineSites find_line(const ModuleSymbols& symbols, std::string_view file, std::uint32_t line);

// Where the body of a function starts, its parameters being in place. `low` if that cannot be told.
FileAddress after_prologue(const ModuleSymbols& symbols, const Function& function);

// The site of a function with code, and one for each inlined copy of it.
std::vector<CodeSite> sites_of(const ModuleSymbols& symbols, const Function& function);

}  // namespace lantern
