// The last value of a variable that the compiler keeps no account of any more, where the register
// or slot that held it holds it still:
//
//     0x1180  line 14   level in ebx from here
//     0x1188  line 15   and no account of level from here on
//     0x1190  line 16   ◄ here: on no way from there has anything written ebx, so it still holds
//                       the level of line 14
//
// By the code alone, on all ways that lead here. Where the source shows that nothing has set the
// variable since that line, its last value is the one it has.
#pragma once

#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "core/analysis/source_changes.h"
#include "core/code/frame_slots.h"
#include "core/code/kept_code.h"
#include "core/session/moment.h"

namespace lantern {

struct LastValue {
    Value value;
    std::string place;                 // "in rbx"
    std::vector<std::uint32_t> lines;  // the value is of one of these: where the account ended
    bool is_current = false;           // nothing has set the variable since
};

class LastValues {
  public:
    // All are borrowed. `changes`: of the source of the frame's own function, which stands at the
    // statement `here`; null where that cannot be asked.
    LastValues(const Moment& moment, const Frame& frame, const SourceChanges* changes,
               std::size_t here);

    // Of a variable of the frame that has no place here. Damaged files give nothing.
    std::optional<LastValue> of(const Variable& variable);

  private:
    // The way back to where the compiler's account had the variable in the place.
    // Which nodes may change a place. Of a register each is asked by itself: few of a function's
    // nodes lie on the way back.
    struct Writers {
        bool operator[](std::uint32_t node) const;

        const FlowGraph* flow = nullptr;
        const std::vector<std::optional<RegisterEffects>>* effects = nullptr;  // of a register
        RegisterSet wanted;
        std::vector<bool> stores;  // of a slot: by node
    };
    struct WayBack {
        std::vector<std::uint32_t> ends;     // the last nodes with that account
        std::vector<std::uint32_t> between;  // those behind them, up to here
        bool goes_round = false;             // through the way back of a loop
    };
    bool read_code();
    std::optional<LastValue> still_in(const Variable& variable, ByteSpan expression);
    std::optional<WayBack> way_back(const Variable& variable, ByteSpan expression,
                                    const Writers& writes) const;
    Writers nodes_that_write(const Value& place) const;
    bool is_made_by_others(const WayBack& way, const Writers& writes) const;
    bool sets_a_variable(std::uint32_t node) const;
    bool account_lags_at(std::uint32_t node, const Variable& variable) const;
    bool is_unchanged_since(const Variable& variable, const WayBack& way) const;
    std::optional<std::size_t> statement_of(std::uint32_t node) const;
    CodePosition position_of(std::uint32_t node) const;
    void read_names(const Scope& scope);

    const Moment& moment_;
    const Frame& frame_;
    const SourceChanges* changes_;
    std::size_t here_;
    bool is_read_ = false;
    KeptCode* code_ = nullptr;
    const FlowGraph* flow_ = nullptr;  // null: the code cannot be relied on
    const Blocks* blocks_ = nullptr;
    mutable std::shared_ptr<const FrameSlots> slots_;  // made when a slot is asked for
    const Ways* before_ = nullptr;
    std::uint32_t node_here_ = 0;
    std::set<std::string> names_;  // of the function's variables
};

}  // namespace lantern
