#include "core/expressions/syntax.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/expressions/type_reader.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/builtin_types.h"

namespace lantern {
namespace {

constexpr int kDeepest = 200;
constexpr unsigned kMostNodes = 1000;  // a long chain is a deep tree

struct Binary {
    Operator op;
    int strength;
};

// Binary operators by how strongly they bind (C17 §6.5; C++20 §7.6).
const std::map<std::string_view, Binary> kBinary = {
    {"||", {Operator::either, 1}}, {"&&", {Operator::both, 2}}, {"|", {Operator::bit_or, 3}}, {"^", {Operator::bit_xor, 4}},
    {"&", {Operator::bit_and, 5}}, {"==", {Operator::equal, 6}}, {"!=", {Operator::not_equal, 6}}, {"<", {Operator::less, 7}},
    {">", {Operator::greater, 7}}, {"<=", {Operator::less_equal, 7}}, {">=", {Operator::greater_equal, 7}},
    {"<<", {Operator::shift_left, 8}}, {">>", {Operator::shift_right, 8}}, {"+", {Operator::add, 9}}, {"-", {Operator::subtract, 9}},
    {"*", {Operator::multiply, 10}}, {"/", {Operator::divide, 10}}, {"%", {Operator::remainder, 10}}};

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

const std::map<std::string_view, Operator> kUnary = {{"-", Operator::minus}, {"+", Operator::plus}, {"!", Operator::logical_not},
                                                     {"~", Operator::bit_not}, {"*", Operator::dereference}, {"&", Operator::address}};

bool is_assignment(std::string_view mark) {
    return mark == "=" || mark == "++" || mark == "--" || (mark.size() >= 2 && mark.back() == '=' && mark != "==" && mark != "!=" && mark != "<=" && mark != ">=");
}

class Parser : private TypeReader {
  public:
    using TypeReader::TypeReader;

    std::unique_ptr<Node> run() {
        if (now().kind == Token::Kind::end) throw ExpressionError("the expression is empty", 1, "type a variable's name, for example");
        auto node = comma();
        if (now().kind == Token::Kind::punctuation && is_assignment(now().text))
            fail(fmt::format("'{}' assigns, which a value cannot do", now().text), "use 'change PLACE = VALUE', or '==' to compare");
        if (now().kind != Token::Kind::end) fail(fmt::format("{} was not expected here", shown(now())));
        return node;
    }

  private:
    using NodePtr = std::unique_ptr<Node>;

    NodePtr make(NodeKind kind, unsigned column, std::string text = {}) {
        if (++nodes_ > kMostNodes) fail(fmt::format("the expression is too long: it has more than {} parts", kMostNodes));
        auto node = std::make_unique<Node>();
        node->kind = kind;
        node->column = column;
        node->text = std::move(text);
        return node;
    }
    template <class... Children>
    NodePtr with(NodePtr node, Children... children) {
        (node->children.push_back(std::move(children)), ...);
        return node;
    }

    // ---- operators

    NodePtr comma() {
        auto node = conditional();
        while (is(",")) {
            unsigned column = now().column;
            ++at_;
            auto second = conditional();
            node = with(make(NodeKind::comma, column), std::move(node), std::move(second));
        }
        return node;
    }

    NodePtr conditional() {
        auto condition = binary(1);
        if (!is("?")) return condition;
        unsigned column = now().column;
        ++at_;
        auto yes = comma();
        need(":");
        auto no = conditional();
        return with(make(NodeKind::conditional, column), std::move(condition), std::move(yes), std::move(no));
    }

    NodePtr binary(int strength) {
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

    NodePtr unary() {
        if (++depth_ > kDeepest) fail("the expression nests too deeply");
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

    NodePtr unary_inner() {
        unsigned column = now().column;
        if (now().kind == Token::Kind::punctuation) {
            if (auto found = kUnary.find(now().text); found != kUnary.end()) {
                ++at_;
                if (found->second == Operator::address && language_ == Language::rust && is_word("mut")) ++at_;
                return unary_node(found->second, column);
            }
            // && before an operand is the address of an address in Rust
            if (language_ == Language::rust && take("&&")) return unary_node(Operator::address, column);
            if (is("++") || is("--")) fail(fmt::format("'{}' assigns, which a value cannot do", now().text), "use 'change PLACE = VALUE'");
        }
        if (take("%")) {
            if (now().kind != Token::Kind::name) fail("a register's name is missing after '%'", "for example %rip");
            auto node = make(NodeKind::cpu_register, column, now().text);
            ++at_;
            return postfix(std::move(node));
        }
        if (is_word("sizeof")) return size_of(NodeKind::size_of_value, NodeKind::size_of_type);
        if (is_word("alignof") || is_word("_Alignof") || is_word("__alignof__")) return size_of(NodeKind::align_of_value, NodeKind::align_of_type);
        if (is("(")) {
            std::size_t start = at_++;
            if (const Type* type = try_type()) {
                if (take(")")) {
                    if (is("{")) fail("a compound literal is made by code of the program", "write its members one by one");
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

    NodePtr unary_node(Operator op, unsigned column) {
        auto node = make(NodeKind::unary, column);
        node->op = op;
        auto operand = unary();
        return with(std::move(node), std::move(operand));
    }

    NodePtr size_of(NodeKind of_value, NodeKind of_type) {
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

    // ---- operands

    NodePtr primary() {
        const Token& token = now();
        NodePtr node;
        switch (token.kind) {
            case Token::Kind::integer: case Token::Kind::floating: case Token::Kind::character: return literal();
            case Token::Kind::string: return text();
            case Token::Kind::result: node = make(NodeKind::result, token.column, token.text); break;
            case Token::Kind::name: return named();
            case Token::Kind::punctuation:
                if (take("(")) {
                    if (language_ == Language::rust && is(")")) fail("() has no value to show");
                    node = comma();
                    need(")");
                    return node;
                }
                if (is("::") && ahead(1).kind == Token::Kind::name) {
                    ++at_;
                    node = make(NodeKind::name, now().column, "::" + now().text);
                    break;
                }
                fail(fmt::format("a value is missing before {}", shown(token)));
            case Token::Kind::end: fail("the expression stops where a value is missing");
        }
        ++at_;
        return node;
    }

    NodePtr literal() {
        const Token& token = now();
        auto node = make(NodeKind::literal, token.column, token.text);
        node->number = token.number;
        node->real = token.real;
        switch (token.kind) {
            case Token::Kind::integer: node->type = &integer_type(token); break;
            case Token::Kind::floating: node->type = &floating_type(token); break;
            default: node->type = &character_type(token.prefix, true);
        }
        if (language_ == Language::rust) rust_literal(token, *node);
        ++at_;
        return node;
    }

    void rust_literal(const Token& token, Node& node) {
        bool is_character = token.kind == Token::Kind::character;
        const char* word = is_character ? (token.prefix == "b" ? "u8" : "char") : token.kind == Token::Kind::floating ? "f64"
                           : token.number > 0x7fffffff ? "i64" : "i32";
        node.type = rust_base_type(token.suffix.empty() ? word : token.suffix);
        node.is_untyped = token.suffix.empty() && !is_character;
        if (is_character) node.number &= token.number > 0xff && token.number < 0x110000 ? 0x1fffff : 0xff;
    }

    NodePtr text() {
        auto node = make(NodeKind::string, now().column, now().text);
        node->type = &character_type(now().prefix, false);
        for (++at_; now().kind == Token::Kind::string; ++at_) node->text += now().text;  // texts side by side are one
        return node;
    }

    static const Type& integer_type(const Token& token) {
        bool decimal = !token.text.starts_with("0") || token.text.size() == 1;
        auto fits = [&](const Type& type) { return type.size == 8 ? (!type.is_signed || token.number <= 0x7fffffffffffffff) : token.number <= (type.is_signed ? 0x7fffffffu : 0xffffffffu); };
        // The first of these that can hold it (C17 §6.4.4.1).
        const Type* candidates[] = {&int_type(), &unsigned_type(), &long_type(), &unsigned_long_type(), base_type_from_words({"long", "long"}), base_type_from_words({"unsigned", "long", "long"})};
        for (std::size_t i = token.longs * 2; i < std::size(candidates); ++i) {
            if (token.is_unsigned && candidates[i]->is_signed) continue;
            if (!token.is_unsigned && decimal && !candidates[i]->is_signed) continue;
            if (fits(*candidates[i])) return *candidates[i];
        }
        return unsigned_long_type();
    }

    static const Type& floating_type(const Token& token) {
        if (token.is_extended) return *base_type_from_words({"long", "double"});
        return token.is_float ? *base_type_from_words({"float"}) : double_type();
    }

    // In C a character constant is an int (C17 §6.4.4.4).
    const Type& character_type(const std::string& prefix, bool is_constant) const {
        if (prefix == "L" && language_ == Language::c) return int_type();  // what wchar_t stands for there
        if (prefix == "L") return *base_type_from_words({"wchar_t"});
        if (prefix == "u") return *base_type_from_words({"char16_t"});
        if (prefix == "U") return *base_type_from_words({"char32_t"});
        return is_constant && language_ == Language::c ? int_type() : char_type();
    }

    NodePtr named() {
        const Token& token = now();
        static const std::map<std::string_view, NodeKind> kCasts = {{"static_cast", NodeKind::static_cast_}, {"reinterpret_cast", NodeKind::reinterpret_cast_},
                                                                    {"const_cast", NodeKind::reinterpret_cast_}, {"dynamic_cast", NodeKind::dynamic_cast_}};
        if (auto cast = kCasts.find(token.text); cast != kCasts.end() && ahead(1).text == "<") return named_cast(cast->second);
        if (is_base_word(token.text) && ahead(1).text == "(") {  // int(x)
            if (const Type* type = base_type_from_words({token.text})) {
                ++at_;
                return functional_cast(*type, token.column);
            }
        }
        std::size_t start = at_;
        if (std::string longer = template_id(); !longer.empty()) {
            const Type* type = names_.type(longer);
            if (type && is("(")) return functional_cast(*type, token.column);
            if (!type && names_.is_template_id(longer)) return make(NodeKind::name, token.column, longer);
            at_ = start;
        }
        if (language_ == Language::rust) {
            if (token.text == "matches" && ahead(1).text == "!" && ahead(2).text == "(") return matches();
            if (std::isupper(static_cast<unsigned char>(last_part(token.text).front())) && ahead(1).text == "{") return structure(false);
        }
        auto node = make(NodeKind::name, token.column, token.text);
        ++at_;
        if (take("#")) read_choice(*node);
        return node;
    }

    // ---- Rust's structures and patterns

    static std::string_view last_part(std::string_view name) {
        std::size_t at = name.rfind("::");
        return at == std::string_view::npos || at + 2 == name.size() ? name : name.substr(at + 2);
    }

    NodePtr matches() {
        auto node = make(NodeKind::matches, now().column);
        at_ += 2;
        need("(");
        auto value = conditional();
        need(",");
        auto pattern = alternatives();
        if (is_word("if")) fail("a pattern with 'if' is not known here", "write matches!(…) && the condition");
        take(",");
        need(")");
        return with(std::move(node), std::move(value), std::move(pattern));
    }

    // Gate::Open { width: 3, deep }: as a pattern also with ..
    NodePtr structure(bool is_pattern) {
        auto node = make(NodeKind::structure, now().column, now().text);
        ++at_;
        need("{");
        while (!is("}")) {
            if (is_pattern && is("..")) {
                node->children.push_back(make(NodeKind::rest, now().column));
                ++at_;
            } else {
                node->children.push_back(field(is_pattern));
            }
            if (!is("}")) need(",");
        }
        ++at_;
        return node;
    }

    NodePtr field(bool is_pattern) {
        if (now().kind != Token::Kind::name && now().kind != Token::Kind::integer) fail("a field's name is missing");
        std::string name = now().text;
        NodePtr value;
        if (ahead(1).text == ":") {
            at_ += 2;
            value = is_pattern ? alternatives() : conditional();
        } else {
            value = make(NodeKind::name, now().column, name);
            ++at_;
        }
        value->chosen = name;
        return value;
    }

    NodePtr alternatives() {
        take("|");
        auto first = pattern();
        if (!is("|")) return first;
        auto node = make(NodeKind::alternatives, first->column);
        node->children.push_back(std::move(first));
        while (take("|")) node->children.push_back(pattern());
        return node;
    }

    NodePtr pattern() {
        if (++depth_ > kDeepest) fail("the expression nests too deeply");
        auto node = pattern_inner();
        --depth_;
        return node;
    }

    NodePtr pattern_inner() {
        unsigned column = now().column;
        if (is("&&") || is("&")) {
            bool twice = is("&&");
            ++at_;
            if (is_word("mut")) ++at_;
            auto node = make(NodeKind::unary, column);
            node->op = Operator::address;
            auto inner = with(std::move(node), pattern());
            if (!twice) return inner;
            auto outer = make(NodeKind::unary, column);
            outer->op = Operator::address;
            return with(std::move(outer), std::move(inner));
        }
        if (is_word("ref") || is_word("mut")) {
            ++at_;
            return pattern();
        }
        if (is_word("_")) {
            ++at_;
            return make(NodeKind::anything, column);
        }
        if (is("(")) return fields_in_brackets(make(NodeKind::structure, column));
        bool is_name = now().kind == Token::Kind::name && now().text != "true" && now().text != "false";
        if (is_name && ahead(1).text == "{") return structure(true);
        if (is_name && ahead(1).text == "(") {
            auto node = make(NodeKind::structure, column, now().text);
            ++at_;
            return fields_in_brackets(std::move(node));
        }
        if (is("..=")) return range_pattern(nullptr, column);
        NodePtr start = is_name ? make(NodeKind::name, column, now().text) : nullptr;
        if (is_name) ++at_;
        else start = unary();
        return is("..") || is("..=") ? range_pattern(std::move(start), column) : std::move(start);
    }

    NodePtr range_pattern(NodePtr start, unsigned column) {
        auto node = make(NodeKind::range, column);
        node->is_inclusive = is("..=");
        ++at_;
        NodePtr end;
        if (!is(")") && !is(",") && !is("|") && !is("}")) end = unary();
        return with(std::move(node), std::move(start), std::move(end));
    }

    NodePtr fields_in_brackets(NodePtr node) {
        need("(");
        while (!is(")")) {
            if (is("..")) {
                node->children.push_back(make(NodeKind::rest, now().column));
                ++at_;
            } else {
                node->children.push_back(alternatives());
            }
            if (!is(")")) need(",");
        }
        ++at_;
        return node;
    }

    NodePtr named_cast(NodeKind kind) {
        auto node = make(kind, now().column);
        ++at_;
        need("<");
        node->type = &needed_type();
        need(">");
        need("(");
        auto operand = comma();
        need(")");
        return postfix(with(std::move(node), std::move(operand)));
    }

    NodePtr functional_cast(const Type& type, unsigned column) {
        auto node = make(NodeKind::cast, column);
        node->type = &type;
        need("(");
        auto operand = conditional();
        need(")");
        return with(std::move(node), std::move(operand));
    }

    // level#17, level#flight.c, level#pass_barge
    void read_choice(Node& node) {
        if (now().kind != Token::Kind::integer && now().kind != Token::Kind::name)
            fail("after '#' comes the line, file or function of the variable that is meant");
        std::size_t start = at_;
        while (now().kind == Token::Kind::integer || now().kind == Token::Kind::name || is(".")) {
            if (at_ > start && !now().touches(tokens_[at_ - 1])) break;  // a space ends it
            node.chosen += now().text;
            ++at_;
        }
    }

    NodePtr postfix(NodePtr node) {
        for (;;) {
            unsigned column = now().column;
            if (is("++") || is("--")) fail(fmt::format("'{}' assigns, which a value cannot do", now().text), "use 'change PLACE = VALUE'");
            if (take(".") || is("->")) {
                bool arrow = take("->");
                if (now().kind != Token::Kind::name) fail("a member's name is missing");
                auto outer = make(arrow ? NodeKind::arrow : NodeKind::member, now().column, now().text);
                ++at_;
                node = with(std::move(outer), std::move(node));
            } else if (take("[")) {
                node = subscript(std::move(node), column);
            } else if (take("(")) {
                auto outer = with(make(NodeKind::call, column), std::move(node));
                while (!is(")")) {
                    outer->children.push_back(conditional());
                    if (!is(")")) need(",");
                }
                ++at_;
                node = std::move(outer);
            } else {
                return node;
            }
        }
    }

    // [i], [a..b], and Rust's [a..], [..b], [a..=b]
    NodePtr subscript(NodePtr node, unsigned column) {
        NodePtr first, last;
        auto is_range = [&] { return is("..") || is("..="); };
        if (!is_range()) first = comma();
        if (!is_range()) {
            need("]");
            return with(make(NodeKind::index, column), std::move(node), std::move(first));
        }
        auto outer = make(NodeKind::range, column);
        outer->is_inclusive = is("..=");
        ++at_;
        if (!is("]")) last = conditional();
        need("]");
        return with(std::move(outer), std::move(node), std::move(first), std::move(last));
    }

    int depth_ = 0;
    unsigned nodes_ = 0;
};

}  // namespace

std::string_view text_of(Operator op) {
    for (const auto& [text, binary] : kBinary)
        if (binary.op == op) return text;
    for (const auto& [text, unary] : kUnary)
        if (unary == op) return text;
    return "";
}

std::unique_ptr<Node> parse_expression(std::string_view text, const NameJudge& names, Language language) {
    return Parser(text, names, language).run();
}

std::size_t find_assignment(std::string_view text) {
    char quoted = 0;
    int depth = 0;
    for (std::size_t i = 0; i < text.size(); ++i) {
        char c = text[i];
        if (quoted) {
            if (c == '\\') ++i;
            else if (c == quoted) quoted = 0;
            continue;
        }
        bool separates = c == '\'' && i > 0 && std::isxdigit(static_cast<unsigned char>(text[i - 1]));  // 1'000
        if (c == '"' || (c == '\'' && !separates)) quoted = c;
        if (c == '[' || c == '(') ++depth;
        if (c == ']' || c == ')') --depth;
        if (c != '=' || depth > 0) continue;
        bool comparison = (i + 1 < text.size() && text[i + 1] == '=') || (i > 0 && std::string_view("=!<>").find(text[i - 1]) != std::string_view::npos);
        if (!comparison) return i;
        if (i + 1 < text.size() && text[i + 1] == '=') ++i;
    }
    return std::string_view::npos;
}

}  // namespace lantern
