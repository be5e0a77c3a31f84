// What the text of a loop says about how it goes: its variable, how far that moves in a pass, and
// whether an index moves as it does. Of `for (int i = 0; i < n; i += 2)`: `i`, and 2.
#pragma once

#include <cstdint>
#include <string>

namespace lantern {

// How far the loop's variable goes in one pass, in whole numbers: of `for (…; ++i)`,
// `for (…; i += 2)`, `for i in 0..n`. 0: it is not told.
std::uint64_t source_step(const std::string& head);

// Empty: it is not told.
std::string loop_variable(const std::string& head);

// Whether an index moves as the variable does: it is one of several that are added.
enum class IndexMoves { not_at_all, with_it, otherwise };
IndexMoves moves_of(const std::string& index, const std::string& variable);

// A statement of the body sets the variable too, or takes its address.
bool is_set_in(const std::string& body, const std::string& variable);

// Where the path that ends there begins: `gauge->flows` before its `[`. npos: something else ends
// there.
std::size_t path_before(const std::string& text, std::size_t end);

}  // namespace lantern
