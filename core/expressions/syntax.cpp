#include "core/expressions/syntax.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/expressions/lexer.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/builtin_types.h"

namespace lantern {
namespace {

constexpr int kDeepest = 200;

// C's binary operators by how strongly they bind (C17 §6.5).
const std::map<std::string_view, int> kBinary = {
    {"||", 1}, {"&&", 2}, {"|", 3}, {"^", 4}, {"&", 5}, {"==", 6}, {"!=", 6}, {"<", 7}, {">", 7}, {"<=", 7},
    {">=", 7}, {"<<", 8}, {">>", 8}, {"+", 9}, {"-", 9}, {"*", 10}, {"/", 10}, {"%", 10}};

bool is_base_word(const std::string& word) {
    static const std::vector<std::string> words = {"char", "short", "int", "long", "signed", "unsigned", "float",
                                                   "double", "void", "_Bool", "bool", "const", "volatile"};
    return std::find(words.begin(), words.end(), word) != words.end();
}

bool is_tag_word(const std::string& word) {
    return word == "struct" || word == "union" || word == "enum" || word == "class";
}

class Parser {
  public:
    Parser(std::string_view text, const TypeFinder& find_type) : tokens_(tokens_of(text)), find_type_(find_type) {}

    std::unique_ptr<Node> run() {
        if (now().kind == Token::Kind::end) throw ExpressionError("the expression is empty", 1, "type a variable's name, for example");
        auto node = conditional();
        if (is("=")) fail("'=' assigns, which a value cannot do", "use 'change PLACE = VALUE', or '==' to compare");
        if (now().kind != Token::Kind::end) fail(fmt::format("{} was not expected here", shown(now())));
        return node;
    }

  private:
    using NodePtr = std::unique_ptr<Node>;

    const Token& now() const { return tokens_[at_]; }
    const Token& ahead(std::size_t n) const { return tokens_[std::min(at_ + n, tokens_.size() - 1)]; }
    bool is(std::string_view mark) const { return now().kind == Token::Kind::punctuation && now().text == mark; }
    bool take(std::string_view mark) {
        if (!is(mark)) return false;
        ++at_;
        return true;
    }
    void need(std::string_view mark) {
        if (!take(mark)) fail(fmt::format("'{}' is missing before {}", mark, shown(now())));
    }
    static std::string shown(const Token& token) {
        return token.kind == Token::Kind::end ? "the end" : quote(token.kind == Token::Kind::result ? "@" + token.text : token.text, '\'');
    }
    [[noreturn]] void fail(const std::string& what, std::string advice = {}) const {
        throw ExpressionError(what, now().column, std::move(advice));
    }

    NodePtr make(NodeKind kind, unsigned column, std::string text = {}) {
        auto node = std::make_unique<Node>();
        node->kind = kind;
        node->column = column;
        node->text = std::move(text);
        return node;
    }

    NodePtr conditional() {
        auto condition = binary(1);
        if (!is("?")) return condition;
        auto node = make(NodeKind::conditional, now().column);
        ++at_;
        node->children.push_back(std::move(condition));
        node->children.push_back(conditional());
        need(":");
        node->children.push_back(conditional());
        return node;
    }

    NodePtr binary(int strength) {
        auto left = unary();
        while (now().kind == Token::Kind::punctuation) {
            auto found = kBinary.find(now().text);
            if (found == kBinary.end() || found->second < strength) break;
            auto node = make(NodeKind::binary, now().column, now().text);
            ++at_;
            node->children.push_back(std::move(left));
            node->children.push_back(binary(found->second + 1));
            left = std::move(node);
        }
        return left;
    }

    NodePtr unary() {
        if (++depth_ > kDeepest) fail("the expression nests too deeply");
        auto node = unary_inner();
        --depth_;
        return node;
    }

    NodePtr unary_inner() {
        unsigned column = now().column;
        for (std::string_view mark : {"-", "+", "!", "~", "*", "&"}) {
            if (!take(mark)) continue;
            auto node = make(NodeKind::unary, column, std::string(mark));
            node->children.push_back(unary());
            return node;
        }
        if (take("%")) {
            if (now().kind != Token::Kind::name) fail("a register's name is missing after '%'", "for example %rip");
            auto node = make(NodeKind::cpu_register, column, now().text);
            ++at_;
            return postfix(std::move(node));
        }
        if (now().kind == Token::Kind::name && now().text == "sizeof") return size_of();
        if (is("(")) {
            std::size_t start = at_++;
            if (const Type* type = try_type()) {
                if (take(")")) {
                    auto node = make(NodeKind::cast, column);
                    node->type = type;
                    node->children.push_back(unary());
                    return node;
                }
            }
            at_ = start;
        }
        return postfix(primary());
    }

    NodePtr size_of() {
        unsigned column = now().column;
        ++at_;
        if (is("(")) {
            std::size_t start = at_++;
            if (const Type* type = try_type()) {
                if (take(")")) {
                    auto node = make(NodeKind::size_of_type, column);
                    node->type = type;
                    return node;
                }
            }
            at_ = start;
        }
        auto node = make(NodeKind::size_of_value, column);
        node->children.push_back(unary());
        return node;
    }

    // A type's name with its stars; null and nothing taken if this is no type.
    const Type* try_type() {
        std::size_t start = at_;
        const Type* type = nullptr;
        std::vector<std::string> words;
        while (now().kind == Token::Kind::name && (now().text == "const" || now().text == "volatile")) ++at_;
        if (now().kind == Token::Kind::name && is_tag_word(now().text) && ahead(1).kind == Token::Kind::name) {
            std::string name = now().text + " " + ahead(1).text;
            unsigned column = ahead(1).column;
            type = find_type_(name);
            if (!type) type = find_type_(ahead(1).text);
            if (!type) throw ExpressionError(fmt::format("the program has no type {}", name), column, "find types PATTERN lists them");
            at_ += 2;
        } else {
            while (now().kind == Token::Kind::name && is_base_word(now().text)) {
                words.push_back(now().text);
                ++at_;
            }
            if (!words.empty()) type = base_type_from_words(words);
            else if (now().kind == Token::Kind::name && (type = find_type_(now().text))) ++at_;
        }
        if (!type) {
            at_ = start;
            return nullptr;
        }
        for (;;) {
            if (take("*")) type = &pointer_to(*type);
            else if (now().kind == Token::Kind::name && (now().text == "const" || now().text == "volatile")) ++at_;
            else break;
        }
        return type;
    }

    NodePtr primary() {
        const Token& token = now();
        NodePtr node;
        switch (token.kind) {
            case Token::Kind::integer:
                node = make(NodeKind::integer, token.column, token.text);
                node->number = token.number;
                node->type = &integer_type(token);
                break;
            case Token::Kind::floating:
                node = make(NodeKind::floating, token.column, token.text);
                node->real = token.real;
                node->type = token.is_float ? base_type_from_words({"float"}) : &double_type();
                break;
            case Token::Kind::character:
                node = make(NodeKind::character, token.column, token.text);
                node->number = token.number;
                node->type = &char_type();
                break;
            case Token::Kind::string: node = make(NodeKind::string, token.column, token.text); break;
            case Token::Kind::result: node = make(NodeKind::result, token.column, token.text); break;
            case Token::Kind::name: {
                node = make(NodeKind::name, token.column, token.text);
                ++at_;
                if (take("#")) read_choice(*node);
                return node;
            }
            case Token::Kind::punctuation:
                if (take("(")) {
                    node = conditional();
                    need(")");
                    return node;
                }
                fail(fmt::format("a value is missing before {}", shown(token)));
            case Token::Kind::end: fail("the expression stops where a value is missing");
        }
        ++at_;
        return node;
    }

    // level#17, level#flight.c, level#pass_barge
    void read_choice(Node& node) {
        if (now().kind != Token::Kind::integer && now().kind != Token::Kind::name)
            fail("after '#' comes the line, file or function of the variable that is meant");
        unsigned end = now().column;
        while (now().kind == Token::Kind::integer || now().kind == Token::Kind::name || is(".")) {
            if (now().column != end) break;  // a space ends it
            node.chosen += now().text;
            end += static_cast<unsigned>(now().text.size());
            ++at_;
        }
    }

    static const Type& integer_type(const Token& token) {
        bool hex = token.text.starts_with("0");
        if (token.is_unsigned) return token.is_long || token.number > 0xffffffff ? unsigned_long_type() : unsigned_type();
        if (!token.is_long && token.number <= 0x7fffffff) return int_type();
        if (!token.is_long && hex && token.number <= 0xffffffff) return unsigned_type();
        return token.number <= 0x7fffffffffffffff ? long_type() : unsigned_long_type();
    }

    NodePtr postfix(NodePtr node) {
        for (;;) {
            unsigned column = now().column;
            if (take(".") || is("->")) {
                bool arrow = take("->");
                if (now().kind != Token::Kind::name) fail("a member's name is missing");
                auto outer = make(arrow ? NodeKind::arrow : NodeKind::member, now().column, now().text);
                ++at_;
                outer->children.push_back(std::move(node));
                node = std::move(outer);
            } else if (take("[")) {
                auto first = conditional();
                bool range = take("..");
                auto outer = make(range ? NodeKind::range : NodeKind::index, column);
                outer->children.push_back(std::move(node));
                outer->children.push_back(std::move(first));
                if (range) outer->children.push_back(conditional());
                need("]");
                node = std::move(outer);
            } else if (is("(")) {
                fail("functions of the program are not called from an expression", "look at the values it would use instead");
            } else {
                return node;
            }
        }
    }

    std::vector<Token> tokens_;
    const TypeFinder& find_type_;
    std::size_t at_ = 0;
    int depth_ = 0;
};

}  // namespace

std::unique_ptr<Node> parse_expression(std::string_view text, const TypeFinder& find_type) {
    return Parser(text, find_type).run();
}

std::size_t find_assignment(std::string_view text) {
    char quoted = 0;
    for (std::size_t i = 0; i < text.size(); ++i) {
        char c = text[i];
        if (quoted) {
            if (c == '\\') ++i;
            else if (c == quoted) quoted = 0;
            continue;
        }
        if (c == '"' || c == '\'') quoted = c;
        if (c != '=') continue;
        bool comparison = (i + 1 < text.size() && text[i + 1] == '=') || (i > 0 && std::string_view("=!<>").find(text[i - 1]) != std::string_view::npos);
        if (!comparison) return i;
        if (i + 1 < text.size() && text[i + 1] == '=') ++i;
    }
    return std::string_view::npos;
}

}  // namespace lantern
