// A variable of a whole file that the source declares and the optimiser has done away with: debug
// information still names it, without a place.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "core/symbols/module_symbols.h"

namespace lantern {

struct RemovedVariable {
    std::string file;  // as the compiler recorded it; may be empty
    std::uint32_t line = 0;
};
// Of one unit, those in its namespaces too. Reads its outermost entries: for a name that means
// nothing else.
std::optional<RemovedVariable> removed_variable(const ModuleSymbols& symbols,
                                                const dwarf::Unit& unit, std::string_view name);

}  // namespace lantern
