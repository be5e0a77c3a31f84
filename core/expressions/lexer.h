// Cuts the text of an expression into tokens.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace lantern {

struct Token {
    enum class Kind {
        integer,
        floating,
        character,
        string,
        name,
        result,
        punctuation,
        end
    } kind = Kind::end;
    std::string text;
    unsigned column = 1;
    std::uint64_t number = 0;
    long double real = 0;
    bool is_unsigned = false, is_float = false, is_extended = false;  // extended: a long double
    unsigned longs = 0;              // how many 'l' stand behind a number
    std::string suffix;              // of Rust: "u8", "f32"
    std::string prefix;              // of a text or character: "L", "u8", "u", "U"
    std::size_t begin = 0, end = 0;  // bytes of the text it was cut from
    bool touches(const Token& before) const { return begin == before.end; }
};

// The last token is always `end`. Throws ExpressionError.
std::vector<Token> tokens_of(std::string_view text);

}  // namespace lantern
