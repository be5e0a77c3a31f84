// Finds the source files that a person names, and the units and lines that have code of them.
#pragma once

#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "core/symbols/module_symbols.h"

namespace lantern {

// True if `path` ends in `wanted`, whole components only: "flight/lock.c" matches
// "/canal/flight/lock.c".
bool path_matches(std::string_view path, std::string_view wanted);

// All source files the module mentions that match, each once.
std::vector<std::string> find_files(const ModuleSymbols& symbols, std::string_view wanted);

// By index of a table's files: whether each matches.
std::vector<bool> matching_files(const LineTable& lines, std::string_view wanted);

// Units whose line tables may have rows of the file: `wanted` as in path_matches.
std::vector<const dwarf::Unit*> units_mentioning(const ModuleSymbols& symbols,
                                                 std::string_view wanted);
// The lines of one unit, from `first` (at least 1) to `last`, that have statements in the files
// that match.
std::set<std::uint32_t> lines_with_code_in(const ModuleSymbols& symbols, const dwarf::Unit& unit,
                                           std::string_view wanted, std::uint32_t first,
                                           std::uint32_t last);

}  // namespace lantern
