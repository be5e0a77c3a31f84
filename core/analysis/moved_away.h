// Variables of Rust that have been moved away: what lies in their place belongs to another by now,
// who may have freed what it leads to.
//
//     17  for barge in barges {     takes `barges` over
//     18      kept.push(barge);     and this takes `barge`
//     19  }                    ◄ here both are gone
//
// By the text alone, and by the types: what owns no memory is copied instead.
#pragma once

#include <cstdint>
#include <optional>

#include "core/analysis/source_changes.h"
#include "core/symbols/function.h"

namespace lantern {

// The line of the statement that moved it away, when the statement `here` is about to run; nothing
// where it was not moved, or only perhaps. `changes`: of the function that declares it. No other of
// its name hides it there.
std::optional<std::uint32_t> moved_away_at(const Variable& variable, const SourceChanges& changes,
                                           std::size_t here);

// Whether the statement moves the variable away: it hands it over, and the type owns memory.
bool is_moved_by(const Variable& variable, const std::string& statement);

// Whether the statement hands the variable itself over to somebody, and not a reference to it.
bool hands_over(const std::string& name, const std::string& statement);

}  // namespace lantern
