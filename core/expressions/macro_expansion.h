// Macros in expressions, expanded as the preprocessor does (C17 §6.10.3): replaced, with their
// arguments, until none is left.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/expressions/lexer.h"

namespace lantern {

struct Macro {
    std::string name, body;
    bool takes_arguments = false, is_variadic = false;
    std::vector<std::string> parameters;
    std::string file;  // where it is defined; empty: given to the compiler, or its own
    std::uint32_t line = 0;
};

// "SHARE(part, whole) ((part) * 100 / (whole))", as debug information has it. Nothing for what is
// none.
std::optional<Macro> parse_macro(std::string_view definition);

class NameJudge;

// `tokens` with every macro in them replaced; all that comes of one stands at the column of its
// name. Throws ExpressionError for a macro that is no part of an expression, and for a wrong number
// of arguments.
std::vector<Token> without_macros(std::vector<Token> tokens, const NameJudge& names);

}  // namespace lantern
