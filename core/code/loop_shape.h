// How a loop of machine code goes: how far each of its accesses to memory moves from one pass to
// the next, and whether it computes with several numbers at once.
//
//     L: movdqu xmm1, [rax]        an access of 16 bytes that moves by 16 a pass;
//        add    rax, 16            numbers of 4 bytes are added, four at once:
//        paddd  xmm0, xmm1         one pass of this loop does the work of four
//        cmp    rax, rdx
//        jne    L
#pragma once

#include <vector>

#include "core/code/function_code.h"

namespace lantern {

struct LoopAccess {
    std::int64_t step = 0;  // bytes from one pass to the next; 0: it stays, or that is not known
    unsigned size = 0;      // bytes
};

struct LoopShape {
    std::uint32_t loop = 0;            // of the function's blocks
    bool is_innermost = true;          // no other loop lies in it
    std::vector<LoopAccess> accesses;  // of memory outside of the stack's pushes and pops
    unsigned vector_size = 0;          // bytes of the widest vectors it computes with; 0: none
    unsigned lane_size = 0;  // bytes of the numbers in them; 0: it is not told, or they differ
    bool of_whole_numbers = false;  // some of them are surely whole numbers
};

// Of all loops, in the order of the blocks'.
std::vector<LoopShape> shapes_of_loops(const FunctionCode& code);

}  // namespace lantern
