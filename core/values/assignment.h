// Has anything assigned this local variable yet? Answered from the machine code alone: the ways
// through the function from where the variable comes into scope to the program counter, and the
// instructions on them that write its slot.
//
//     int sum;                      sub  rsp, 24
//     if (gates > 0)                test edi, edi
//         sum = gates;              jle  L           one way leads past the store, the other over
//         it:
//     use(sum);                     mov  [rsp+12], edi           behind L, sum is set on some paths
//                                L: mov  edi, [rsp+12]
#pragma once

#include <vector>

#include "core/code/flow_graph.h"
#include "core/dwarf/call_frame_information.h"
#include "core/machine/effects.h"
#include "core/unwind/frame.h"
#include "core/values/async_state.h"
#include "core/values/value_view.h"

namespace lantern {

class KeptCode;

// A variable, or the bytes of one of its members.
struct PartOfVariable {
    const Variable* variable = nullptr;
    const Type* type = nullptr;
    std::uint64_t offset = 0;  // bytes from where the variable begins
};
PartOfVariable whole_of(const Variable& variable);

class AssignmentAnalysis {
  public:
    // Decodes the frame's function once; ask for as many of its variables as you like. Never
    // throws.
    AssignmentAnalysis(Target& target, const Frame& frame);

    // not_yet, in optimised code not_stored: no way leads here past a write, or past a call that
    // was given the address. on_some_paths: some ways do, others do not, and which one was taken is
    // not known. unknown: the variable has no fixed slot in the frame (globals, most registers), or
    // every way leads past a call that may have set it.
    // Of a register that calls hand back as it was, what the caller had in it is no value.
    Assignment of(const Variable& variable, const Scope& declared_in) const;
    // The same of a part: whoever has the address of another part may write this one too.
    Assignment of_part(const PartOfVariable& part, const Scope& declared_in) const;

    // Of the body of an async function: what its task was at when it went on. Its ways begin there,
    // and behind a wait what lies on the stack and not in the task has no value at first.
    const std::optional<AsyncState>& went_on_from() const { return went_on_from_; }
    bool has_waited() const {
        return went_on_from_ && went_on_from_->kind == AsyncState::Kind::waits;
    }

  private:
    // What an instruction does to the frame's memory.
    struct Step {
        std::vector<MemoryAccess> writes;     // written out in it
        std::optional<MemoryAccess> address;  // computed and kept
        bool copies_frame_register =
            false;  // into another register: writes through that are not followed
        // Of the registers that calls hand back, as bits (see kKeptRegisters):
        std::uint16_t puts_address_in = 0;  // `address`, into one of them
        std::uint16_t passes_on = 0;        // their values, to another place
        std::uint16_t stores_through = 0, overwrites = 0;
        const dwarf::FrameRow* row = nullptr;
    };

    void read_steps();
    static void take_kept_registers(const Effects& effects, Step& step);
    void find_entry(Target& target);
    // The part that is asked about and the variable that it belongs to, from the call frame
    // address.
    struct Slot {
        std::int64_t part = 0;
        std::uint64_t part_size = 0;
        std::int64_t whole = 0;
        std::uint64_t whole_size = 0;
        bool is_aggregate = false;
    };
    // What an instruction does: nothing, stores into the part, gives the variable's address away,
    // or puts it where calls leave it alone, for later.
    enum class Touch { none, stores, gives_address, keeps_address };
    Touch touch(std::uint32_t node, const Slot& slot) const;
    // By node: in which states it can be reached, and (the upper bits) in which of the registers
    // that calls hand back the address may be.
    using States = std::vector<std::uint16_t>;
    std::uint16_t behind(std::uint32_t node, Touch touched, std::uint16_t state) const;
    // Flows forward from the entry. A way that comes to one of `filled` counts as one on which
    // somebody may have set the variable.
    States flow_forward(const Slot& slot, const Scope& declared_in,
                        const std::vector<bool>& filled) const;
    std::vector<bool> filled_by_loops(const Slot& slot, const States& states,
                                      std::uint32_t goal) const;
    bool may_store_elsewhere(std::uint32_t node) const;
    std::optional<std::int64_t> slot_at(ByteSpan place, const dwarf::FrameRow* row) const;
    std::optional<std::int64_t> slot_of(const Variable& variable) const;
    Assignment of_place_here(const PartOfVariable& part, const Scope& declared_in,
                             std::uint32_t goal) const;
    bool may_be_pushed(std::int64_t slot, std::uint64_t size) const;
    static std::uint16_t found_at(const States& states, std::uint32_t goal);

    // Stores are where the source has them: not so in optimised code, and in Rust, where they come
    // before the scope.
    bool scopes_hold_stores() const;
    Assignment of_kept_register(unsigned dwarf_number) const;
    bool is_optimised() const;

    const Frame& frame_;
    bool aligns_stack_ = false;
    std::optional<std::int64_t> frame_base_;  // from the call frame address
    KeptCode* code_ = nullptr;
    const FlowGraph* flow_ = nullptr;  // its graph; null where the answer is always "unknown"
    std::uint32_t entry_ = FlowGraph::kNone;  // where the ways begin
    std::optional<AsyncState> went_on_from_;
    std::vector<dwarf::FrameDescription> descriptions_;
    std::vector<Step> steps_;     // by node
    std::vector<bool> dispatch_;  // by node; see dispatch_of
};

}  // namespace lantern
