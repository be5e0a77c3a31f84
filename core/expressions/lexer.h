// Cuts the text of an expression into tokens.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace lantern {

struct Token {
    enum class Kind { integer, floating, character, string, name, result, punctuation, end } kind = Kind::end;
    std::string text;
    unsigned column = 1;
    std::uint64_t number = 0;
    long double real = 0;
    bool is_unsigned = false, is_long = false, is_float = false;
};

// The last token is always `end`. Throws ExpressionError.
std::vector<Token> tokens_of(std::string_view text);

}  // namespace lantern
