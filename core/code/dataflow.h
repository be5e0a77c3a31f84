// Where the values in registers come from and where they go, along the ways through a function:
// what is still needed at an instruction (liveness), and which instructions may have made what it
// finds (definitions that reach).
//
//     mov eax, [rdi]   (1)      at (3) the value of eax comes from (1) or (2),
//     jz  L                     rdi from the function's caller;
//     mov eax, 7       (2)      behind (3) eax is not needed any more
//  L: add ebx, eax     (3)
#pragma once

#include <vector>

#include "core/code/blocks.h"
#include "core/machine/register_effects.h"

namespace lantern {

class Dataflow {
  public:
    // The blocks are borrowed; the bytes are those of the file. A call is taken to read and lose
    // what the calling convention lets it.
    Dataflow(const Blocks& blocks, const ModuleSymbols& symbols);

    const RegisterEffects& effects_of(std::uint32_t node) const { return effects_[node]; }
    RegisterSet live_before(std::uint32_t node) const;  // needed by it, or behind it by somebody
    RegisterSet live_behind(std::uint32_t node) const;

    struct Definitions {
        std::vector<std::uint32_t>
            nodes;  // that write it, by address; each may have written it last
        bool from_outside =
            false;  // or what it held when control came into the function, or to a handler
    };
    // Of what the register (DWARF number) holds when the node is about to run.
    Definitions reaching(std::uint32_t node, unsigned dwarf_number) const;
    // The nodes that may read what this one writes to the register, by address; and whether it may
    // be handed out of the function.
    struct Uses {
        std::vector<std::uint32_t> nodes;
        bool goes_outside = false;
    };
    Uses uses_of(std::uint32_t node, unsigned dwarf_number) const;

  private:
    void find_effects(const ModuleSymbols& symbols);
    void find_liveness();
    RegisterSet live_at_end_of(std::uint32_t block) const;

    const Blocks* blocks_;
    std::vector<RegisterEffects> effects_;         // by node
    std::vector<RegisterSet> live_in_, live_out_;  // by block
};

}  // namespace lantern
