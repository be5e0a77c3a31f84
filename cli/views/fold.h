// Lines that are longer than the window go on below, between words and behind the column they began
// in.
#pragma once

#include <string>
#include <string_view>

namespace lantern::cli {

// `text` may hold colours. A word that is wider than the window alone stays whole.
std::string folded_to(std::string_view text, std::size_t width);
// Sentences as paragraphs of so many columns, each `indent` columns from the left. Lines of `text`
// that do not end a sentence are joined with the next one.
std::string paragraphs_of(std::string_view text, std::size_t width, std::size_t indent);

}  // namespace lantern::cli
