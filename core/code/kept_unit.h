// What is worked out from the code or the entries of one unit and asked for again: made when it is
// first needed, and kept with the symbols.
#pragma once

#include <memory>
#include <optional>
#include <unordered_map>
#include <vector>

#include "core/symbols/module_symbols.h"

namespace lantern {

struct KeptUnit {
    std::shared_ptr<void> calls;  // see never_returns.cpp
    // The functions of the unit that a copy of a function was inlined into, by the position of that
    // function's entry; each as often as it holds one.
    using Holders = std::unordered_map<dwarf::Position, std::vector<const Function*>>;
    std::optional<Holders> holders;
};

// From one thread only.
inline KeptUnit& kept_unit(const ModuleSymbols& symbols, const dwarf::Unit& unit) {
    std::shared_ptr<void>& kept = symbols.kept_with(unit);
    if (!kept) kept = std::make_shared<KeptUnit>();
    return *static_cast<KeptUnit*>(kept.get());
}

}  // namespace lantern
