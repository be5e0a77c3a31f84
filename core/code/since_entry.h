// Whether a register still holds, where an instruction is about to run, what it held when the
// function was entered. The call that is under way at a frame's instruction may have lost it since.
#pragma once

#include <cstdint>

#include "core/code/kept_code.h"

namespace lantern {

// `dwarf_number`: of a general register. False where not all ways to the node are known.
bool holds_since_entry(KeptCode& code, std::uint32_t node, unsigned dwarf_number);

// Some way leads to the node past no write of it, as far as ways are known. `dwarf_number`: of a
// register that calls hand back as it was.
bool may_hold_since_entry(KeptCode& code, std::uint32_t node, unsigned dwarf_number);

}  // namespace lantern
