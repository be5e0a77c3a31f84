// What operators stand between: literals, names, members, calls, casts; and the patterns of Rust.
#include <fmt/format.h>

#include <map>

#include "core/expressions/parser.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/builtin_types.h"

namespace lantern {

NodePtr Parser::primary() {
    const Token& token = now();
    NodePtr node;
    switch (token.kind) {
        case Token::Kind::integer:
        case Token::Kind::floating:
        case Token::Kind::character: return literal();
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

NodePtr Parser::literal() {
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

void Parser::rust_literal(const Token& token, Node& node) {
    bool is_character = token.kind == Token::Kind::character;
    const char* word = is_character                          ? (token.prefix == "b" ? "u8" : "char")
                       : token.kind == Token::Kind::floating ? "f64"
                       : token.number > 0x7fffffff           ? "i64"
                                                             : "i32";
    node.type = rust_base_type(token.suffix.empty() ? word : token.suffix);
    node.is_untyped = token.suffix.empty() && !is_character;
    if (is_character)
        node.number &= token.number > 0xff && token.number < 0x110000 ? 0x1fffff : 0xff;
}

NodePtr Parser::text() {
    auto node = make(NodeKind::string, now().column, now().text);
    node->type = &character_type(now().prefix, false);
    for (++at_; now().kind == Token::Kind::string; ++at_)
        node->text += now().text;  // texts side by side are one
    return node;
}

const Type& Parser::integer_type(const Token& token) {
    bool decimal = !token.text.starts_with("0") || token.text.size() == 1;
    auto fits = [&](const Type& type) {
        return type.size == 8 ? (!type.is_signed || token.number <= 0x7fffffffffffffff)
                              : token.number <= (type.is_signed ? 0x7fffffffu : 0xffffffffu);
    };
    // The first of these that can hold it (C17 §6.4.4.1).
    const Type* candidates[] = {&int_type(),
                                &unsigned_type(),
                                &long_type(),
                                &unsigned_long_type(),
                                base_type_from_words({"long", "long"}),
                                base_type_from_words({"unsigned", "long", "long"})};
    for (std::size_t i = token.longs * 2; i < std::size(candidates); ++i) {
        if (token.is_unsigned && candidates[i]->is_signed) continue;
        if (!token.is_unsigned && decimal && !candidates[i]->is_signed) continue;
        if (fits(*candidates[i])) return *candidates[i];
    }
    return unsigned_long_type();
}

const Type& Parser::floating_type(const Token& token) {
    if (token.is_extended) return *base_type_from_words({"long", "double"});
    return token.is_float ? *base_type_from_words({"float"}) : double_type();
}

// In C a character constant is an int (C17 §6.4.4.4).
const Type& Parser::character_type(const std::string& prefix, bool is_constant) const {
    if (prefix == "L" && language_ == Language::c)
        return int_type();  // what wchar_t stands for there
    if (prefix == "L") return *base_type_from_words({"wchar_t"});
    if (prefix == "u") return *base_type_from_words({"char16_t"});
    if (prefix == "U") return *base_type_from_words({"char32_t"});
    return is_constant && language_ == Language::c ? int_type() : char_type();
}

NodePtr Parser::named() {
    const Token& token = now();
    static const std::map<std::string_view, NodeKind> kCasts = {
        {"static_cast", NodeKind::static_cast_},
        {"reinterpret_cast", NodeKind::reinterpret_cast_},
        {"const_cast", NodeKind::reinterpret_cast_},
        {"dynamic_cast", NodeKind::dynamic_cast_}};
    if (auto cast = kCasts.find(token.text); cast != kCasts.end() && ahead(1).text == "<")
        return named_cast(cast->second);
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
        if (!type && names_.is_template_id(longer))
            return make(NodeKind::name, token.column, longer);
        at_ = start;
    }
    if (language_ == Language::rust) {
        if (token.text == "matches" && ahead(1).text == "!" && ahead(2).text == "(")
            return matches();
        if (std::isupper(static_cast<unsigned char>(last_part(token.text).front())) &&
            ahead(1).text == "{")
            return structure(false);
    }
    auto node = make(NodeKind::name, token.column, token.text);
    ++at_;
    if (take("#")) read_choice(*node);
    return node;
}

std::string_view Parser::last_part(std::string_view name) {
    std::size_t at = name.rfind("::");
    return at == std::string_view::npos || at + 2 == name.size() ? name : name.substr(at + 2);
}

NodePtr Parser::matches() {
    auto node = make(NodeKind::matches, now().column);
    at_ += 2;
    need("(");
    auto value = conditional();
    need(",");
    auto pattern = alternatives();
    if (is_word("if"))
        fail("a pattern with 'if' is not known here", "write matches!(…) && the condition");
    take(",");
    need(")");
    return with(std::move(node), std::move(value), std::move(pattern));
}

// Gate::Open { width: 3, deep }: as a pattern also with ..
NodePtr Parser::structure(bool is_pattern) {
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

NodePtr Parser::field(bool is_pattern) {
    if (now().kind != Token::Kind::name && now().kind != Token::Kind::integer)
        fail("a field's name is missing");
    std::string name = now().text;
    NodePtr value;
    if (ahead(1).text == ":") {
        at_ += 2;
        value = is_pattern ? alternatives() : conditional();
    } else {
        value = make(NodeKind::name, now().column, name);
        ++at_;
    }
    value->field = name;
    return value;
}

NodePtr Parser::alternatives() {
    take("|");
    auto first = pattern();
    if (!is("|")) return first;
    auto node = make(NodeKind::alternatives, first->column);
    node->children.push_back(std::move(first));
    while (take("|")) node->children.push_back(pattern());
    return node;
}

NodePtr Parser::pattern() {
    if (++depth_ > kDeepestNesting) fail("the expression nests too deeply");
    auto node = pattern_inner();
    --depth_;
    return node;
}

NodePtr Parser::pattern_inner() {
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
    if (is_name)
        ++at_;
    else
        start = unary();
    return is("..") || is("..=") ? range_pattern(std::move(start), column) : std::move(start);
}

NodePtr Parser::range_pattern(NodePtr start, unsigned column) {
    auto node = make(NodeKind::range, column);
    node->is_inclusive = is("..=");
    ++at_;
    NodePtr end;
    if (!is(")") && !is(",") && !is("|") && !is("}")) end = unary();
    return with(std::move(node), std::move(start), std::move(end));
}

NodePtr Parser::fields_in_brackets(NodePtr node) {
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

NodePtr Parser::named_cast(NodeKind kind) {
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

NodePtr Parser::functional_cast(const Type& type, unsigned column) {
    auto node = make(NodeKind::cast, column);
    node->type = &type;
    need("(");
    auto operand = conditional();
    need(")");
    return with(std::move(node), std::move(operand));
}

// level#17, level#flight.c, level#pass_barge
void Parser::read_choice(Node& node) {
    if (now().kind != Token::Kind::integer && now().kind != Token::Kind::name)
        fail("after '#' comes the line, file or function of the variable that is meant");
    std::size_t start = at_;
    while (now().kind == Token::Kind::integer || now().kind == Token::Kind::name || is(".")) {
        if (at_ > start && !now().touches(tokens_[at_ - 1])) break;  // a space ends it
        node.chosen += now().text;
        ++at_;
    }
}

NodePtr Parser::postfix(NodePtr node) {
    for (;;) {
        unsigned column = now().column;
        if (is("++") || is("--"))
            fail(fmt::format("'{}' assigns, which a value cannot do", now().text),
                 "use 'change PLACE = VALUE'");
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
NodePtr Parser::subscript(NodePtr node, unsigned column) {
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

}  // namespace lantern
