// The code of the innermost loop around an address.
//
//     L: cmp  [rdi], 0          the loop itself: what leads back to L;
//        je   found             `found` leads out of it, but lies in the midst of it, as in the
//        source …                          (while … { if (…) { found; break; } … }) jmp  next and
//        counts as part of it
//     found: …
//        jmp  out
//     next: …
//        jne  L
//     out:
#pragma once

#include <vector>

#include "core/code/blocks.h"

namespace lantern {

// From its first instruction to its last, where it lies together, and its cold parts. Empty: no
// loop is around the address.
std::vector<FileRange> loop_around(const Blocks& blocks, FileAddress address);

}  // namespace lantern
