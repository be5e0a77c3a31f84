// A loop that the compiler has taken out with all that it did, and that the source lets set a
// variable: the account of the variable may go on with the value of before it.
//
//     98   for (unsigned i = 0; i < rows; ++i)      no code is left of these lines,
//     99       level = 0;
//    102   level = level + 320;                     and what is told here is perhaps made of the
//    103   note(level);        ◄ here               level of before line 98
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/analysis/source_changes.h"
#include "core/session/moment.h"

namespace lantern {

struct VanishedLoop {
    std::uint32_t line = 0;
    bool is_whole = true;              // false: only the statements in it that set it are gone
    bool sets_it = false;              // or something that it was then made of
    std::vector<std::size_t> setting;  // the statements in the loop that set it, by number
};

// Such a loop that has been passed when the statement `here` of the frame's own function runs;
// nothing where none is known.
std::optional<VanishedLoop> vanished_loop_behind(const Frame& frame, const SourceChanges& changes,
                                                 std::size_t here, const std::string& name);

}  // namespace lantern
