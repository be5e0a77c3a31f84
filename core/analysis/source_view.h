// What the source adds to the values of a frame's variables in optimised code: the value of one
// that the compiler keeps nowhere, its last one, and a doubt where the compiler's account
// contradicts the source.
#pragma once

#include <optional>

#include "core/analysis/lagging_memory.h"
#include "core/analysis/lagging_value.h"
#include "core/analysis/last_value.h"
#include "core/analysis/recomputed_value.h"

namespace lantern {

class SourceView {
  public:
    // Both are borrowed. The source is read when the first variable needs it.
    SourceView(const Moment& moment, const Frame& frame) : moment_(moment), frame_(frame) {}
    SourceView(const SourceView&) = delete;
    SourceView& operator=(const SourceView&) = delete;

    // The view is that of the whole variable, with its members as children. Never throws.
    void add_to(ValueView& view, const Variable& variable);
    // Of a global of the frame's module: a loop may keep that in a register as well.
    void add_to_global(ValueView& view, const Variable& variable, RunAddress address);

  private:
    void read_source();
    struct Part {
        const Variable& variable;
        std::string name;  // "lock.level"
        const Type& type;
        std::uint64_t offset = 0;  // bytes
    };
    void add_to_part(ValueView& view, const Part& part);
    void add_members(ValueView& view, const Part& part);
    void doubt_before_declared(ValueView& view, const Variable& variable);
    bool is_head_of_another_turn();
    bool has_begun_on_all_ways(std::uint32_t line) const;
    bool is_damaged_in_registers(const ValueView& view, const Variable& variable) const;
    void doubt_moved_away(ValueView& view, const Variable& variable);
    std::optional<std::uint32_t> moved_away_by_loop(const Variable& variable);
    void doubt_memory(ValueView& view, const Variable& variable);
    void doubt_memory_of(ValueView& view, const Part& part, RunAddress variable);
    std::string what_is_stored_next(const LaggingMemory::Part& part, const Type& type);
    bool is_behind_turns_of_for(const Variable& variable, RunAddress address);
    void add_last(ValueView& view, const Variable& variable);
    std::optional<Part> part_named(const std::string& name) const;
    struct Doubt {
        std::string text;
        std::optional<Value> perhaps;
    };
    // By the compiler's account and the code alone.
    std::optional<Doubt> doubt_about(const Part& part);
    bool would_set_the_same(const Part& part, std::size_t statement) const;
    std::optional<Doubt> doubt_by_conditions(const Part& part) const;
    std::optional<std::uint32_t> vanished_loop_before(const Part& part) const;

    const Moment& moment_;
    const Frame& frame_;
    std::optional<RecomputedValues> recomputed_;
    std::optional<LaggingValues> lagging_;         // nothing where the source cannot be asked
    std::optional<LaggingMemory> lagging_memory_;  // the same
    std::optional<LastValues> last_;
};

// The same for an expression that is the name of a variable of the selected frame, or leads to a
// member of one ("lock.level"), and nothing else.
void add_source_view(const Moment& moment, const std::string& expression, ValueView& view);

}  // namespace lantern
