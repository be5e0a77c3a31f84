// How the passes of a loop of the source lie in the code: where its test is made, and what of a
// pass stands outside of the loop.
//
//        test edx, edx         a copy of the test, before the first pass
//        jle  end
//     L: mov  [rdi], eax       the loop's own code
//        add  rdi, 4
//        cmp  rdi, rsi         the test of the source's head, at the end of a pass:
//        jne  L                turned around
//        mov  [rdi], eax       and a copy of a pass behind it: peeled
#pragma once

#include <vector>

#include "core/analysis/became_loops.h"

namespace lantern {

// `loops`: those of the code that are the loop of that statement, by their numbers in its blocks.
std::vector<BecameFact> facts_of_passes(const Became& became, std::size_t statement,
                                        const std::vector<std::uint32_t>& loops);

}  // namespace lantern
