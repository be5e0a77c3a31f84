// What the linker's names tell of a value: the function a pointer leads to, the class a table of
// functions is of.
#pragma once

#include <optional>
#include <string>

#include "core/values/value.h"

namespace lantern {

// The demangled name of the symbol that covers an address, and how far into it the address lies.
struct SymbolBehind {
    std::string name;
    std::uint64_t offset = 0;
};
std::optional<SymbolBehind> symbol_behind(Target& target, RunAddress address);

// A type by its full name in any module; null if there is none.
const Type* type_called(Target& target, const std::string& name);

// The first argument between the brackets after `start`: "int" for
// "std::any::_Manager_internal<int>::_S_manage".
std::string first_argument(std::string_view name, std::string_view start);

// A part with one value behind it, told by `text`: what a pointer owns.
struct Meaning;
void lead_to(Meaning& meaning, const Value& value);

}  // namespace lantern
