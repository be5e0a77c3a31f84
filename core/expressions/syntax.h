// Text to tree: the expressions of C, C++ and Rust, with registers (%rax), earlier results (@, @3,
// @name), parts of arrays (p[0..8]) and chosen variables (name#17).
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/expressions/macro_expansion.h"
#include "core/symbols/type.h"

namespace lantern {

enum class Language { c, cplusplus, rust };

enum class NodeKind {
    literal,
    string,
    name,
    cpu_register,
    result,
    unary,
    binary,
    conditional,
    comma,
    member,
    arrow,
    index,
    range,
    member_pointer,
    call,
    cast,
    static_cast_,
    reinterpret_cast_,
    dynamic_cast_,
    size_of_value,
    size_of_type,
    align_of_value,
    align_of_type,
    structure,
    matches,
    anything,
    rest,
    alternatives,  // of Rust: Name { … } or Name(…), matches!, and _ .. | in its patterns
};

enum class Operator : std::uint8_t {
    none,
    add,
    subtract,
    multiply,
    divide,
    remainder,
    shift_left,
    shift_right,
    bit_and,
    bit_or,
    bit_xor,
    equal,
    not_equal,
    less,
    greater,
    less_equal,
    greater_equal,
    both,
    either,
    minus,
    plus,
    logical_not,
    bit_not,
    dereference,
    address,
};
std::string_view text_of(Operator op);
inline bool is_comparison(Operator op) {
    return op >= Operator::equal && op <= Operator::greater_equal;
}
inline bool is_shift(Operator op) {
    return op == Operator::shift_left || op == Operator::shift_right;
}

struct Node {
    NodeKind kind = NodeKind::literal;
    Operator op = Operator::none;
    unsigned column = 1;  // where it starts, in characters from 1
    std::string text;     // name, member, string content
    std::string chosen;   // after '#': a line, a file or a function
    std::string field;    // what stands in a structure of Rust: the field it is for
    std::uint64_t number = 0;
    unsigned place = 0;  // of a name, among the names of the whole tree
    long double real = 0;
    bool is_untyped = false;       // a Rust literal that takes the type of what it meets
    bool is_inclusive = false;     // of a range: its last element belongs to it
    bool through_pointer = false;  // ->* instead of .*
    const Type* type = nullptr;    // of literals, casts, sizeof; of a text its character
    std::vector<std::unique_ptr<Node>> children;  // a range's ends may be null
};

// What the parser must know of names.
class NameJudge {
  public:
    virtual ~NameJudge() = default;
    // The type a name stands for, or null; tells a cast from brackets. Names come with their
    // keyword: "struct barge".
    virtual const Type* type(const std::string& name) const = 0;
    // Whether a name with template arguments is a function or variable of the program; tells them
    // from comparisons.
    virtual bool is_template_id(const std::string& name) const = 0;
    // What the preprocessor puts in place of a name there; nothing for most.
    virtual std::optional<Macro> macro(const std::string&) const { return std::nullopt; }
};

// Throws ExpressionError with the column.
std::unique_ptr<Node> parse_expression(std::string_view text, const NameJudge& names,
                                       Language language = Language::c);

// For `PLACE = EXPR`: where the '=' that assigns stands, or npos if there is none.
std::size_t find_assignment(std::string_view text);

}  // namespace lantern
