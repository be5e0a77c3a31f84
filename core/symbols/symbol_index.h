// The names of one object file: one pass over its entries that finds every function, global variable and type.
#pragma once

#include <string>
#include <unordered_map>
#include <vector>

#include "core/dwarf/debug_info.h"
#include "core/symbols/function.h"

namespace lantern {

struct NamedEntry {
    std::string name;
    std::uint64_t entry_offset = 0;
};

struct SymbolIndex {
    std::vector<Function> functions;  // with code, and those of which only inlined copies exist; by entry offset
    std::vector<NamedEntry> globals;
    std::unordered_map<std::string, std::uint64_t> types;  // complete ones: "struct barge", "level_cm"
    std::vector<std::uint64_t> enumerations;               // every one, named or not
    std::vector<std::string> problems;                     // units that were lost, with section and offset

    struct Covered {
        FileRange range;
        std::uint32_t function = 0;  // index into `functions`
    };
    std::vector<Covered> by_address;  // ascending

    const Function* function_at(FileAddress address) const;
    const Function* function_of_entry(std::uint64_t entry_offset) const;  // null if that entry is no function listed
};

SymbolIndex build_symbol_index(const dwarf::DebugInfo& info);

}  // namespace lantern
