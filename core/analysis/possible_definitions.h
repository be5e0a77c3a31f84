// Of several instructions that may have set a value: those that can have made just the number that
// is there now.
#pragma once

#include <string>
#include <vector>

#include "core/analysis/source_names.h"

namespace lantern {

// The low bytes of both, as many as were moved.
bool is_same_number(std::uint64_t constant, unsigned size, std::uint64_t value);

struct PossibleDefinitions {
    std::vector<std::uint32_t> nodes;  // instructions of the function
    bool from_outside = false;         // or it was there when the function was entered
    std::string because;               // why some were left out; empty: none was
};
// They set a register (DWARF number), or store to a slot, before the place is reached.
PossibleDefinitions that_can_have_set(SourceNames& names, PlaceInCode place, unsigned dwarf_number,
                                      PossibleDefinitions all, std::uint64_t value);
PossibleDefinitions that_can_have_stored(SourceNames& names, PlaceInCode place,
                                         PossibleDefinitions all, std::uint64_t value);

// Where a function returns that number, if it is a number that one place in it sets.
struct PlaceOfReturn {
    const FunctionCode* code = nullptr;
    std::uint32_t node = 0;
    bool has_others = false;  // it returns something else elsewhere
};
std::optional<PlaceOfReturn> place_that_returns(SourceNames& names, const Module& module,
                                                const Function& function, std::uint64_t value);

}  // namespace lantern
