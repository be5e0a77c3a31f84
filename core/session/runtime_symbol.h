// Functions of the languages' own run-time libraries, found by name.
#pragma once

#include <string_view>

#include "core/target/target.h"

namespace lantern {

// The function of that name that the module defines; Rust mangles the names of its own since 1.89,
// as members of __rustc. Null if there is none.
const ElfSymbol* runtime_symbol(const ModuleSymbols& symbols, std::string_view name);

// Whether the thread is about to run the first instruction of that function.
bool stands_at_runtime_symbol(Target& target, ThreadId thread, std::string_view name);

}  // namespace lantern
