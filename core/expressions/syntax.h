// Text to tree: the expressions of C, with registers (%rax), earlier results (@, @3, @name), parts of arrays
// (p[0..8]) and chosen variables (name#17).
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/symbols/type.h"

namespace lantern {

enum class NodeKind {
    integer, floating, character, string, name, cpu_register, result, unary, binary, conditional, member, arrow, index, range,
    cast, size_of_value, size_of_type,
};

struct Node {
    NodeKind kind = NodeKind::integer;
    unsigned column = 1;    // where it starts, in characters from 1
    std::string text;       // name, operator, member, string content
    std::string chosen;     // after '#': a line, a file or a function
    std::uint64_t number = 0;
    long double real = 0;
    const Type* type = nullptr;  // of literals, casts and sizeof
    std::vector<std::unique_ptr<Node>> children;
};

// Says which type a name stands for, or null; tells a cast from brackets. Names come with their keyword: "struct barge".
using TypeFinder = std::function<const Type*(const std::string& name)>;

// Throws ExpressionError with the column.
std::unique_ptr<Node> parse_expression(std::string_view text, const TypeFinder& find_type);

// For `PLACE = EXPR`: the column of the '=' that assigns, or npos if there is none.
std::size_t find_assignment(std::string_view text);

}  // namespace lantern
