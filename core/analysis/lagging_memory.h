// Where the memory of a variable lags behind the source: a statement that sets it has been passed,
// and nothing on the way from there has stored into its place. The compiler has the new value in a
// register, and stores it later.
//
//     0x11a0  line 4    mov  [rsp+12], 0      total = 0
//     0x11b0  line 6    add  eax, [rdi]       total += tons[i], in eax alone
//     0x11b4  line 7    ◄ here: memory holds the total of before the loop
//     0x11c2  line 9    mov  [rsp+12], eax
//
// Perhaps: the way to here may have led past none of these statements yet, or what was set may be
// what was there already.
#pragma once

#include <optional>
#include <string>

#include "core/analysis/rows_before.h"
#include "core/code/fixed_memory.h"

namespace lantern {

class LaggingMemory {
  public:
    // All are borrowed. `changes`: of the source of the frame's own function, which stands at the
    // statement `here`.
    LaggingMemory(const Frame& frame, const SourceChanges& changes, std::size_t here)
        : frame_(frame), changes_(changes), here_(here) {}

    // Bytes of a variable in the frame's memory, or in that of the frame's module.
    struct Part {
        std::string name;                 // "total", "lock.level"
        RunAddress variable;              // where all of the variable begins
        std::uint64_t variable_size = 0;  // bytes
        std::uint64_t offset = 0, size = 0;
    };
    // The line of the last such statement: of those before here in the text, else of those that
    // the loop around here has passed. Throws FormatError.
    std::optional<std::uint32_t> passed_over(const Part& part);
    // Of a part that was passed over: the register, by its DWARF number, that whatever stores into
    // it next takes what it holds from, perhaps with more counted in. Nothing where that is not
    // one register on all ways. Throws FormatError.
    std::optional<unsigned> stored_next_from(const Part& part);
    // Of what each turn of a loop sets although no statement says so: whether nothing in the turns
    // stores into it. `head`: the statement with which a turn begins; `scope`: of the variable,
    // which is that loop: before it other variables may have had its place. Throws FormatError.
    bool stays_through_turns(const Part& part, std::size_t head, const Scope& scope);

  private:
    RowsBefore& rows();
    struct Place {
        std::int64_t slot = 0;             // of the part, see FrameSlots
        FrameSlots::Range object;          // the whole variable
        std::optional<FixedMemory> fixed;  // of a global: instead of those
        unsigned size = 0;                 // bytes of the part
    };
    std::optional<Place> place_of(const Part& part);
    Place fixed_place_of(const Part& part);
    FrameSlots::Touch touch(std::uint32_t node, const Place& place) const;
    bool reads(std::uint32_t node, const Place& place) const;
    bool is_stored_behind_its_loop(std::size_t statement);
    bool find_unchanged(const Place& place, const std::vector<std::uint32_t>& address_makers);
    bool still_has_address(std::uint32_t maker);
    std::optional<std::vector<std::uint32_t>> next_stores(const Place& place);

    const Frame& frame_;
    const SourceChanges& changes_;
    std::size_t here_;
    std::optional<RowsBefore> rows_;
    std::shared_ptr<const FrameSlots> slots_;
    // Of the part that was asked for last, by node:
    std::vector<bool> is_known_;  // whether somebody may have its address
    std::vector<bool> unchanged_;
    std::vector<std::uint32_t> changed_by_;
};

}  // namespace lantern
