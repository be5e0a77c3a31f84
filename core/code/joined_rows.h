// clang and rustc mark no statement where the row before, in the order of the addresses, is of the
// same line. A jump may come there from another line all the same, and then a statement begins:
//
//     0x1176  line 16    mov  [heavy], rdx
//     0x117d  line 16    jmp  0x1185
//     0x117f  line 18    mov  esi, [total]      marked, for those that come from line 13
//     0x1185  line 18    lea  rdi, […]          not marked, and line 16 jumps to it
#pragma once

#include <vector>

#include "core/code/flow_graph.h"
#include "core/symbols/position.h"

namespace lantern {

class JoinedRows {
  public:
    // None of a function that another compiler made, which marks by the source. Borrows neither.
    JoinedRows(const FlowGraph& flow, const FunctionPositions& positions);

    // A statement begins at the position, marked or not.
    bool begins_statement(const CodePosition& position) const;
    bool is_joined(const CodePosition& position) const;

  private:
    std::vector<std::pair<FileAddress, std::uint16_t>> rows_;  // address and order, ascending
};

}  // namespace lantern
