// What who jumps to an address meets of the positions there. Those that lie above the goal of the
// jump (code/jumped_past.h) it does not meet, but perhaps the last line of them: a line that ends
// one block and begins the next has one row for both.
//
//     0x1684  line 28 (row 0)  break;            a break leads away from here, and another way to
//     0x1684  line 33 (row 1)  switch (moon)     this address passes no break
//
//     0x2776  line 117 (row 0)  return done;     the empty list falls in with it; the others come
//     0x2776  line 118 (row 1)  }                to it as well, as far as anybody can tell
#pragma once

#include "core/code/jumped_past.h"
#include "core/symbols/source_files.h"

namespace lantern {

class JumpArrival {
  public:
    // Borrows all of them.
    JumpArrival(const JumpedPast& past, const FunctionPositions& positions, SourceFiles& sources)
        : past_(past), positions_(positions), sources_(sources) {}

    // By its order: the first position that who takes the jump meets; 0: all are.
    std::uint16_t first_met(FileAddress from, FileAddress to) const;
    // Those that the jump comes behind are looked at as from there: what the account says before is
    // not of this way.
    CodePosition as_met(CodePosition position, FileAddress from) const;

  private:
    bool leads_away(const CodePosition& position) const;
    bool returns(const CodePosition& position) const;
    std::string word_at(const CodePosition& position) const;

    const JumpedPast& past_;
    const FunctionPositions& positions_;
    SourceFiles& sources_;
};

}  // namespace lantern
