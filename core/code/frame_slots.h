// The memory of a function's frame as its instructions use it: which slot an operand means, and
// which stores may have made what a slot holds.
//
//     mov [rbp-8], rdi     (1)    the slot at -24 of the call frame address
//     …
//     mov rax, [rbp-8]     (2)    finds what (1) stored
#pragma once

#include "core/code/blocks.h"
#include "core/dwarf/call_frame_information.h"
#include "core/machine/effects.h"
#include "core/symbols/module_symbols.h"

namespace lantern {

class FrameSlots {
  public:
    // Both are borrowed; the bytes are those of the file. Throws FormatError.
    FrameSlots(const Blocks& blocks, const ModuleSymbols& symbols);

    // Of each node of the graph; null where its bytes are no instruction.
    const Effects* effects_of(std::uint32_t node) const {
        return effects_[node] ? &*effects_[node] : nullptr;
    }
    // How far from the call frame address (bytes; below it: negative) the operand begins; nothing
    // where it is no slot of the frame, or an element that is only known at run time.
    std::optional<std::int64_t> slot_of(std::uint32_t node, const MemoryAccess& access) const;

    struct Stores {
        std::vector<std::uint32_t>
            nodes;                   // that write all of the slot; each may have been the last
        bool from_outside = false;   // or nobody has since the function was entered
        bool may_be_others = false;  // somebody may have its address, or a part of it was written
        std::vector<std::uint32_t> address_taken;  // nodes, anywhere in the function
    };
    // Slots from `low` up to `high`, as slot_of tells them.
    struct Range {
        std::int64_t low = 0, high = 0;
    };
    // Of what `size` bytes at the slot hold when the node is about to run. `object` is what they
    // are a part of: whoever has the address of one part of it can write them all.
    Stores reaching(std::uint32_t node, std::int64_t slot, unsigned size, Range object) const;
    // What the instruction does to those bytes. `is_address_known`: somebody may have the address
    // of a part of the object, so that a call may write it, and a store through a pointer.
    enum class Touch { none, may_write, writes };
    Touch touch(std::uint32_t node, std::int64_t slot, unsigned size, bool is_address_known) const;
    // The nodes that make the address of a part of the object.
    std::vector<std::uint32_t> address_makers(Range object) const;
    bool reads(std::uint32_t node, std::int64_t slot, unsigned size) const;
    // The instruction writes by the stack or the frame pointer, and where is not known.
    bool writes_somewhere(std::uint32_t node) const;
    // Where it is not known what they are a part of: it may begin anywhere below.
    static Range any_object_with(std::int64_t slot, unsigned size);

  private:
    bool copies_frame_register(std::uint32_t node) const;
    void find_addresses();

    const Blocks* blocks_;
    std::vector<dwarf::FrameDescription> descriptions_;
    std::vector<const dwarf::FrameRow*> rows_;  // by node; null: not known
    std::vector<std::optional<Effects>> effects_;
    // The nodes that make the address of a slot, or a copy of what slots are counted from.
    struct AddressMade {
        std::uint32_t node = 0;
        std::optional<std::int64_t> slot;  // nothing: of all of them
    };
    std::vector<AddressMade> addresses_;  // by node
};

}  // namespace lantern
