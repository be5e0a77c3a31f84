// What the source calls a value that an instruction uses: "barge->next" for the word that
// `mov rax, [rdx+16]` reads where rdx holds `barge`. Worked out from the definitions that reach the
// instruction, the variables' places and their types.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>

#include "core/code/plain_move.h"
#include "core/session/moment.h"
#include "core/values/value.h"

namespace lantern {

struct SourceName {
    std::string text;  // an expression of the frame
    const Type* type = nullptr;
};

// An instruction of a function that has a frame on the stack. The frame is the function's own, not
// that of an inlined call in it.
struct PlaceInCode {
    const Frame* frame = nullptr;
    const FunctionCode* code = nullptr;
    std::uint32_t node = 0;

    PlaceInCode at(std::uint32_t other) const { return {frame, code, other}; }
};

class SourceNames {
  public:
    explicit SourceNames(const Moment& moment) : moment_(moment) {}
    SourceNames(const SourceNames&) = delete;
    SourceNames& operator=(const SourceNames&) = delete;

    // Where a frame stands: at the next instruction of the innermost, at the call of another.
    // Nothing where its code is not known.
    std::optional<PlaceInCode> place_of(const Frame& frame);
    // The frame of the function that the frame's code belongs to.
    const Frame* function_frame(unsigned level);
    const FunctionCode* code_of(const Module& module, const Function& function);

    // Nothing where the source has no name for it, or more than one way leads to the value.
    std::optional<SourceName> in_register(PlaceInCode place, unsigned dwarf_number);
    std::optional<SourceName> in_memory(PlaceInCode place, const MemoryAccess& access);
    // Where several ways lead to it: the one name of theirs that has the value now.
    std::optional<SourceName> in_register_with(PlaceInCode place, unsigned dwarf_number,
                                               std::uint64_t value);
    // Where the same number was stored elsewhere: the one name of such a place that has it still.
    std::optional<SourceName> stored_from(PlaceInCode place, unsigned dwarf_number,
                                          std::uint64_t value);
    // The variable (or a part of it) that lies in the function's frame so far from its call frame
    // address.
    std::optional<SourceName> in_slot(PlaceInCode place, std::int64_t slot);
    // What the bytes at the slot are a part of, as far as the variables tell.
    FrameSlots::Range object_at(PlaceInCode place, std::int64_t slot, unsigned size);
    // The parameter that comes in by that register.
    std::optional<SourceName> parameter_in(PlaceInCode place, unsigned dwarf_number);
    // Where an address was computed from a pointer and an index, "levels" and "day" of levels[day];
    // and the register and place in which the index was.
    struct Element {
        SourceName pointer, index;
        PlaceInCode place;
        unsigned dwarf_number = 0;
        PlaceInCode made;  // where both were put together, and the register with the pointer
        unsigned pointer_register = 0;
    };
    std::optional<Element> element_in(PlaceInCode place, unsigned dwarf_number);
    // What a register held there, and where an operand leads (run address), computed once more from
    // what memory holds now: to be checked against what is known. Nothing where that cannot be
    // done.
    std::optional<std::uint64_t> computed(PlaceInCode place, unsigned dwarf_number,
                                          unsigned depth = 0);
    std::optional<std::uint64_t> computed_address(PlaceInCode place, const MemoryAccess& access,
                                                  unsigned depth = 0);
    // A register and a number that were added, where an instruction does that and nothing else; not
    // of the addresses of slots.
    struct Sum {
        unsigned dwarf_number = 0;
        std::int64_t constant = 0;
    };
    std::optional<Sum> sum_of(PlaceInCode made, unsigned dwarf_number);
    // Where a variable or a member lies; nothing where that cannot be told.
    std::optional<Value> place_of_name(const Frame& frame, const std::string& expression);
    // "tb->hash, which is null now, and h, which is 77 now": what an instruction computes from, as
    // far as it has names.
    std::string inputs_of(PlaceInCode made);
    // What the expression amounts to in the frame now; nothing where it has no value.
    std::optional<std::uint64_t> value_of(const Frame& frame, const std::string& expression);

  private:
    std::optional<SourceName> named(PlaceInCode place, unsigned dwarf_number, unsigned depth);
    std::optional<SourceName> named(PlaceInCode place, const MemoryAccess& access, unsigned depth);
    std::optional<SourceName> variable_in(PlaceInCode place, unsigned dwarf_number);
    std::optional<SourceName> index_in(PlaceInCode& place, unsigned& dwarf_number);
    std::optional<SourceName> at_computed_address(PlaceInCode place, const MemoryAccess& access);
    std::optional<SourceName> global_at(PlaceInCode place, RunAddress address);
    std::optional<SourceName> behind(PlaceInCode place, const MemoryAccess& access, unsigned depth);

    const Moment& moment_;
    std::map<const Function*, std::unique_ptr<FunctionCode>> codes_;
};

}  // namespace lantern
