// Short words for what people type all day, and the user's own.
#pragma once

#include <map>
#include <span>
#include <string>
#include <string_view>

namespace lantern::cli {

struct ShortWord {
    std::string_view word, stands_for;
};

// None of them is the beginning that another command would be known by.
std::span<const ShortWord> short_words();

using OwnWords = std::map<std::string, std::string>;

// The line with its first word written out, the user's own words first; as it is where that is no
// short word.
std::string written_out(std::string_view line, const OwnWords& own);

}  // namespace lantern::cli
