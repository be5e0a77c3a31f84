// All functions or globals of a module, as the index lists them: for tests that go through
// everything.
#pragma once

#include <vector>

#include "core/symbols/module_symbols.h"

namespace lantern::testing {

// In the order of their entries. Borrowed types inside; the symbols must outlive the result.
inline std::vector<Function> functions_in(const ModuleSymbols& symbols) {
    std::vector<Function> found;
    for (const NameEntry& entry : symbols.index().names())
        if (is_function(entry.kind))
            if (const Function* function = symbols.function(entry.position))
                found.push_back(*function);
    return found;
}

inline std::vector<NameEntry> globals_in(const ModuleSymbols& symbols) {
    std::vector<NameEntry> found;
    for (const NameEntry& entry : symbols.index().names())
        if (entry.kind == NameKind::global) found.push_back(entry);
    return found;
}

}  // namespace lantern::testing
