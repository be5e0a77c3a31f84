// The statements of a function of C, C++ or Rust, by its text alone: where each begins and ends,
// and which lines a loop or a choice goes over. No more than is needed to ask what became of each.
//
//     12  for (int i = 0; i < count; ++i)        a loop, its body up to line 13
//     13      total += levels[i] *               plain, lines 13 to 14 (and the body)
//     14               weights[i];
//     15  int last;                              a declaration: no code is to be expected
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/analysis/code_shape.h"

namespace lantern {

struct SourceStatement {
    enum class Kind {
        plain,
        loop,         // for, while, do, loop
        choice,       // if, switch, match
        jump,         // break, continue, goto, and return without a value
        declaration,  // nothing is set
    } kind = Kind::plain;
    std::uint32_t first_line = 0, last_line = 0;  // of a loop or choice: of its head
    std::uint32_t body_last = 0;  // of a loop or choice: the last line that belongs to it
    std::string text;             // without comments, each gap one space
    // The blocks that it stands in, from the outermost; with braces or without. Each has a number
    // of its own, and `opens` is that of a head's body (0: it has none).
    std::vector<std::uint32_t> blocks;
    std::uint32_t opens = 0;
    bool is_under_condition = false;  // between #if and #endif: it may not have been compiled
};

// From the line where the function is declared to the brace that ends it, in order. Empty where no
// body begins there. `lines[0]` is line 1.
std::vector<SourceStatement> statements_of_function(const std::vector<std::string>& lines,
                                                    std::uint32_t declared_line,
                                                    CodeLanguage language);

}  // namespace lantern
