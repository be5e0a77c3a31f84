// All machine code of a file, without running it: one line an instruction, with the names of the
// functions above them.
#pragma once

#include <cstdio>
#include <string>

#include "core/machine/disassembler.h"
#include "core/symbols/module_symbols.h"

namespace lantern::cli {

// Writes while it works; false if the output is gone. Throws FormatError.
bool disassemble_file(const ModuleSymbols& symbols, Syntax syntax, std::FILE* out);

}  // namespace lantern::cli
