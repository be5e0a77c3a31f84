// Small shared things about text: making text from outside safe to show, and finding near names for
// an unknown one.
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/support/byte_reader.h"

namespace lantern {

// Control characters and bytes that are not valid UTF-8 become \n, \t, \x1b …; printable UTF-8
// stays. Text from the target or from a file goes through this before it reaches a terminal or a
// page.
std::string escape_for_display(std::string_view text);

// Like escape_for_display, and the given quote and the backslash are escaped too.
std::string quote(std::string_view text, char quote_mark = '"');

// The candidates nearest to `wanted` by edit distance (or containing it), nearest first, at most
// `limit`.
std::vector<std::string> nearest_names(std::string_view wanted,
                                       std::span<const std::string> candidates,
                                       std::size_t limit = 3);

// "a", "a or b", "a, b or c"
std::string join_with(const std::vector<std::string>& words, std::string_view last_separator);

// 26104 → "26 104"
std::string with_thousands(unsigned long long number);

// 0.256 → "26 %"
std::string percent(double share);

// "1 hit", "2 hits"
std::string counted(unsigned long long number, std::string_view noun);

// Of a name in C, C++ or Rust, as far as it is plain letters, digits and the underscore.
bool is_word_letter(char c);

std::string_view trimmed(std::string_view text);
std::string lower_case(std::string_view text);
std::string without_spaces(std::string_view text);

// Characters of `unit` bytes each (1: UTF-8 already, 2: UTF-16, 4: UTF-32) as UTF-8; what is no
// character becomes U+FFFD.
std::string utf8_of(ByteSpan units, unsigned unit);
// The other way; without a terminator.
std::vector<std::byte> units_of(std::string_view utf8, unsigned unit);
void append_utf8(std::string& out, std::uint32_t code);
// Takes the first character off; a byte that starts none stands for itself.
std::uint32_t take_code_point(std::string_view& utf8);

// How many columns a terminal needs for this UTF-8 text, one for each code point.
std::size_t display_width(std::string_view utf8);

}  // namespace lantern
