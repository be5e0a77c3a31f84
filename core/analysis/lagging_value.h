// Where the compiler's account of a variable lags: the location in force has held since before an
// assignment that the line table says has been passed, and nothing on the way has written what the
// location is made of.
//
//     0x1180  line 9    level in ebx from here on
//     0x1184  line 10   level = level * 5 + 1;     no new location, and nothing writes ebx
//     0x1188  line 12   ◄ here: what ebx holds is perhaps the level of before line 10
//
// Perhaps: the assignment may have set what was there already, or lie on a way that was not taken.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>

#include "core/analysis/rows_before.h"
#include "core/analysis/source_changes.h"
#include "core/dwarf/location_expression.h"
#include "core/machine/register_effects.h"
#include "core/session/moment.h"

namespace lantern {

class LaggingValues {
  public:
    // All are borrowed. `changes`: those of the source of the frame's own function, which stands at
    // the statement `here`.
    LaggingValues(const Moment& moment, const Frame& frame, const SourceChanges& changes,
                  std::size_t here);

    // The line of the last such assignment, in the order of the text. Of a member, what it is
    // called in the source ("lock.level"), and where its bytes lie in the variable. Never throws.
    std::optional<std::uint32_t> passed_over(const Variable& variable, const std::string& name,
                                             std::uint64_t offset, std::uint64_t size);

  private:
    // Where the bytes are, by the location in force at some place, computed with what registers
    // hold now.
    struct Place {
        dwarf::LocationPiece::Kind kind = dwarf::LocationPiece::Kind::missing;
        std::uint64_t number = 0;
        RegisterSet registers;  // that it is made of

        bool operator==(const Place&) const = default;
    };
    Place place_at(const Variable& variable, FileAddress address, std::uint16_t row,
                   std::uint64_t offset, std::uint64_t size) const;
    std::optional<std::int64_t> put_aside_at(const Place& place) const;
    // By node: whether it leads here with the bytes in the same place all the way.
    std::vector<bool> unchanged_before(const Variable& variable, const Place& now,
                                       std::uint64_t offset, std::uint64_t size);
    bool was_there_before(std::size_t statement, const Variable& variable, const Place& now,
                          std::uint64_t offset, std::uint64_t size);
    bool goes_elsewhere_behind(std::size_t statement) const;
    bool has_been_passed(std::size_t statement, const std::string& name,
                         const std::function<RowsBefore::Counted(std::size_t)>& rows_of);
    const RowsBefore& rows();

    const Moment& moment_;
    const Frame& frame_;
    const SourceChanges& changes_;
    std::size_t here_;
    std::optional<RowsBefore> rows_;
    // Right before those of unchanged_: the nodes that write the place, or behind which the
    // location is a new one (is_moved_).
    std::vector<std::uint32_t> changed_by_;
    bool is_moved_ = false;
    bool is_value_on_entry_ = false;  // no assignment can have made it so
    std::vector<bool>
        unchanged_;  // by node, see unchanged_before; of the variable that is asked for
};

}  // namespace lantern
