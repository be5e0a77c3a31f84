// gcc numbers the rows of the line table that stand at one address. Where a block ends in
// statements without an instruction of their own, they stand at the address of the next block, and
// who jumps to that block does not pass them:
//
//     0x1680  line 62    mov  eax, [chart]      case 3: level = …
//     0x1684  line 62    (row 0)  break;        passed only by who falls in here
//     0x1684  line 66    (row 1)  cmp  esi, 4   switch (moon): the other cases jump here
//
// No record says where the second block begins. But what the account of a variable says changes
// there: from what holds in the block above to what holds where a jump stands. Such a change proves
// that this jump leads behind the row, and other jumps to the address go with it, but for those
// where the variable's account is that of the block above: they may lead to a third block, between
// the two, that has no instructions of its own.
#pragma once

#include <map>
#include <vector>

#include "core/code/flow_graph.h"
#include "core/symbols/position.h"

namespace lantern {

class JumpedPast {
  public:
    // None of a function whose rows are not numbered. Borrows none of them. Throws FormatError.
    JumpedPast(const FlowGraph& flow, const FunctionPositions& positions, const FunctionBody& body);

    struct Jump {
        FileAddress from;
        std::uint16_t first = 0;    // the order of the first position behind the ones above
        std::uint16_t certain = 0;  // the same, with the last line above not counted: a line that
                                    // ends one block and begins the next has one row for both
    };
    // Null where nothing proves that the jump from the one instruction to the other comes behind a
    // position.
    const Jump* jump(FileAddress from, FileAddress to) const;
    // The jumps that come behind some position of the address.
    const std::vector<Jump>& to(FileAddress address) const;
    bool is_empty() const { return joins_.empty(); }

  private:
    std::map<FileAddress, std::vector<Jump>> joins_;  // those to which some jump comes behind one
};

}  // namespace lantern
