#include "core/expressions/syntax.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/expressions/parser.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/builtin_types.h"

namespace lantern {
namespace {

constexpr unsigned kMostNodes = 1000;  // a long chain is a deep tree

struct Binary {
    Operator op;
    int strength;
};

// Binary operators by how strongly they bind (C17 §6.5; C++20 §7.6).
const std::map<std::string_view, Binary> kBinary = {
    {"||", {Operator::either, 1}},        {"&&", {Operator::both, 2}},
    {"|", {Operator::bit_or, 3}},         {"^", {Operator::bit_xor, 4}},
    {"&", {Operator::bit_and, 5}},        {"==", {Operator::equal, 6}},
    {"!=", {Operator::not_equal, 6}},     {"<", {Operator::less, 7}},
    {">", {Operator::greater, 7}},        {"<=", {Operator::less_equal, 7}},
    {">=", {Operator::greater_equal, 7}}, {"<<", {Operator::shift_left, 8}},
    {">>", {Operator::shift_right, 8}},   {"+", {Operator::add, 9}},
    {"-", {Operator::subtract, 9}},       {"*", {Operator::multiply, 10}},
    {"/", {Operator::divide, 10}},        {"%", {Operator::remainder, 10}}};

// Rust binds & ^ | more strongly than comparisons (The Rust Reference, "Expression precedence").
int strength_of(const Binary& binary, Language language) {
    if (language != Language::rust) return binary.strength;
    if (is_comparison(binary.op)) return 3;
    switch (binary.op) {
        case Operator::bit_or: return 4;
        case Operator::bit_xor: return 5;
        case Operator::bit_and: return 6;
        default: return binary.strength;
    }
}

const std::map<std::string_view, Operator> kUnary = {
    {"-", Operator::minus},   {"+", Operator::plus},        {"!", Operator::logical_not},
    {"~", Operator::bit_not}, {"*", Operator::dereference}, {"&", Operator::address}};

bool is_assignment(std::string_view mark) {
    return mark == "=" || mark == "++" || mark == "--" ||
           (mark.size() >= 2 && mark.back() == '=' && mark != "==" && mark != "!=" &&
            mark != "<=" && mark != ">=");
}

}  // namespace

std::unique_ptr<Node> Parser::run() {
    if (now().kind == Token::Kind::end)
        throw ExpressionError("the expression is empty", 1, "type a variable's name, for example");
    auto node = comma();
    if (now().kind == Token::Kind::punctuation && is_assignment(now().text))
        fail(fmt::format("'{}' assigns, which a value cannot do", now().text),
             "use 'change PLACE = VALUE', or '==' to compare");
    if (now().kind != Token::Kind::end) fail(fmt::format("{} was not expected here", shown(now())));
    return node;
}

NodePtr Parser::make(NodeKind kind, unsigned column, std::string text) {
    if (++nodes_ > kMostNodes)
        fail(fmt::format("the expression is too long: it has more than {} parts", kMostNodes));
    auto node = std::make_unique<Node>();
    node->kind = kind;
    node->column = column;
    node->text = std::move(text);
    if (kind == NodeKind::name) node->place = names_met_++;
    return node;
}

NodePtr Parser::comma() {
    auto node = conditional();
    while (is(",")) {
        unsigned column = now().column;
        ++at_;
        auto second = conditional();
        node = with(make(NodeKind::comma, column), std::move(node), std::move(second));
    }
    return node;
}

NodePtr Parser::conditional() {
    auto condition = binary(1);
    if (!is("?")) return condition;
    unsigned column = now().column;
    ++at_;
    auto yes = comma();
    need(":");
    auto no = conditional();
    return with(make(NodeKind::conditional, column), std::move(condition), std::move(yes),
                std::move(no));
}

NodePtr Parser::binary(int strength) {
    auto left = unary();
    while (now().kind == Token::Kind::punctuation) {
        auto found = kBinary.find(now().text);
        if (found == kBinary.end() || strength_of(found->second, language_) < strength) break;
        auto node = make(NodeKind::binary, now().column);
        node->op = found->second.op;
        ++at_;
        auto right = binary(strength_of(found->second, language_) + 1);
        left = with(std::move(node), std::move(left), std::move(right));
    }
    return left;
}

NodePtr Parser::unary() {
    if (++depth_ > kDeepestNesting) fail("the expression nests too deeply");
    auto node = unary_inner();
    // Rust's casts bind more strongly than any binary operator.
    while (language_ == Language::rust && is_word("as")) {
        unsigned column = now().column;
        ++at_;
        auto cast = make(NodeKind::cast, column);
        cast->type = &needed_type();
        node = with(std::move(cast), std::move(node));
    }
    while (is(".*") || is("->*")) {
        auto outer = make(NodeKind::member_pointer, now().column);
        outer->through_pointer = is("->*");
        ++at_;
        auto member = unary_inner();
        node = with(std::move(outer), std::move(node), std::move(member));
    }
    --depth_;
    return node;
}

NodePtr Parser::unary_inner() {
    unsigned column = now().column;
    if (now().kind == Token::Kind::punctuation) {
        if (auto found = kUnary.find(now().text); found != kUnary.end()) {
            ++at_;
            if (found->second == Operator::address && language_ == Language::rust && is_word("mut"))
                ++at_;
            return unary_node(found->second, column);
        }
        // && before an operand is the address of an address in Rust
        if (language_ == Language::rust && take("&&")) return unary_node(Operator::address, column);
        if (is("++") || is("--"))
            fail(fmt::format("'{}' assigns, which a value cannot do", now().text),
                 "use 'change PLACE = VALUE'");
    }
    if (take("%")) {
        if (now().kind != Token::Kind::name)
            fail("a register's name is missing after '%'", "for example %rip");
        auto node = make(NodeKind::cpu_register, column, now().text);
        ++at_;
        return postfix(std::move(node));
    }
    if (is_word("sizeof")) return size_of(NodeKind::size_of_value, NodeKind::size_of_type);
    if (is_word("alignof") || is_word("_Alignof") || is_word("__alignof__"))
        return size_of(NodeKind::align_of_value, NodeKind::align_of_type);
    if (is("(")) {
        std::size_t start = at_++;
        if (const Type* type = try_type()) {
            if (take(")")) {
                if (is("{"))
                    fail("a compound literal is made by code of the program",
                         "write its members one by one");
                auto node = make(NodeKind::cast, column);
                node->type = type;
                auto operand = unary();
                return with(std::move(node), std::move(operand));
            }
        }
        at_ = start;
    }
    return postfix(primary());
}

NodePtr Parser::unary_node(Operator op, unsigned column) {
    auto node = make(NodeKind::unary, column);
    node->op = op;
    auto operand = unary();
    return with(std::move(node), std::move(operand));
}

NodePtr Parser::size_of(NodeKind of_value, NodeKind of_type) {
    unsigned column = now().column;
    ++at_;
    if (is("(")) {
        std::size_t start = at_++;
        if (const Type* type = try_type()) {
            if (take(")")) {
                auto node = make(of_type, column);
                node->type = type;
                return node;
            }
        }
        at_ = start;
    }
    auto operand = unary();
    return with(make(of_value, column), std::move(operand));
}

std::string_view text_of(Operator op) {
    for (const auto& [text, binary] : kBinary)
        if (binary.op == op) return text;
    for (const auto& [text, unary] : kUnary)
        if (unary == op) return text;
    return "";
}

std::unique_ptr<Node> parse_expression(std::string_view text, const NameJudge& names,
                                       Language language) {
    return Parser(text, names, language).run();
}

std::size_t find_assignment(std::string_view text) {
    char quoted = 0;
    int depth = 0;
    for (std::size_t i = 0; i < text.size(); ++i) {
        char c = text[i];
        if (quoted) {
            if (c == '\\')
                ++i;
            else if (c == quoted)
                quoted = 0;
            continue;
        }
        bool separates =
            c == '\'' && i > 0 && std::isxdigit(static_cast<unsigned char>(text[i - 1]));  // 1'000
        if (c == '"' || (c == '\'' && !separates)) quoted = c;
        if (c == '[' || c == '(') ++depth;
        if (c == ']' || c == ')') --depth;
        if (c != '=' || depth > 0) continue;
        bool comparison =
            (i + 1 < text.size() && text[i + 1] == '=') ||
            (i > 0 && std::string_view("=!<>").find(text[i - 1]) != std::string_view::npos);
        if (!comparison) return i;
        if (i + 1 < text.size() && text[i + 1] == '=') ++i;
    }
    return std::string_view::npos;
}

}  // namespace lantern
