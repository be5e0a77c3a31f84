#include "core/expressions/type_reader.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/builtin_types.h"

namespace lantern {
namespace {

bool is_tag_word(const std::string& word) {
    return word == "struct" || word == "union" || word == "enum" || word == "class";
}

}  // namespace

bool is_base_word(const std::string& word) {
    static const std::vector<std::string> words = {
        "char",    "short",    "int",      "long",     "signed",  "unsigned", "float",
        "double",  "void",     "_Bool",    "bool",     "const",   "volatile", "wchar_t",
        "char8_t", "char16_t", "char32_t", "__int128", "_Float16"};
    return std::find(words.begin(), words.end(), word) != words.end();
}

bool TypeReader::take(std::string_view mark) {
    if (!is(mark)) return false;
    ++at_;
    return true;
}

void TypeReader::need(std::string_view mark) {
    if (!take(mark)) fail(fmt::format("'{}' is missing before {}", mark, shown(now())));
}

std::string TypeReader::shown(const Token& token) {
    return token.kind == Token::Kind::end
               ? "the end"
               : quote(token.kind == Token::Kind::result ? "@" + token.text : token.text, '\'');
}

void TypeReader::fail(const std::string& what, Advice advice) const {
    throw ExpressionError(what, now().column, std::move(advice));
}

const Type& TypeReader::needed_type() {
    const Type* type = try_type();
    if (!type) fail(fmt::format("a type is missing before {}", shown(now())), Next::find_types);
    return *type;
}

bool TypeReader::is_qualifier() const {
    return is_word("const") || is_word("volatile") || is_word("restrict") ||
           (language_ == Language::rust && is_word("mut"));
}

// A type's name with its stars; null and nothing taken if this is no type (C17 §6.7.7).
const Type* TypeReader::try_type() {
    std::size_t start = at_;
    const Type* type = language_ == Language::rust ? rust_pointer_type() : nullptr;
    if (!type) type = type_specifier();
    if (!type) {
        at_ = start;
        return nullptr;
    }
    return &declarator(*type);
}

// *const T, *mut T, &T
const Type* TypeReader::rust_pointer_type() {
    bool pointer = is("*") && (ahead(1).text == "const" || ahead(1).text == "mut");
    if (!pointer && !is("&")) return nullptr;
    std::size_t start = at_++;
    while (is_qualifier()) ++at_;
    if (const Type* target = try_type()) return &pointer_to(*target);
    at_ = start;
    return nullptr;
}

const Type* TypeReader::type_specifier() {
    std::vector<std::string> words;
    while (is_qualifier() && !is_base_word(ahead(1).text)) ++at_;
    if (now().kind == Token::Kind::name && is_tag_word(now().text) &&
        ahead(1).kind == Token::Kind::name) {
        std::string name = now().text + " " + ahead(1).text;
        unsigned column = ahead(1).column;
        const Type* type = names_.type(name);
        at_ += 1;
        if (!type)
            type = named_type();
        else
            ++at_;
        if (!type)
            throw ExpressionError(fmt::format("the program has no type {}", name), column,
                                  Next::find_types);
        return type;
    }
    while (now().kind == Token::Kind::name && is_base_word(now().text)) {
        words.push_back(now().text);
        ++at_;
    }
    if (!words.empty()) return base_type_from_words(words);
    if (now().kind != Token::Kind::name) return nullptr;
    if (language_ == Language::rust)
        if (const Type* type = rust_base_type(now().text)) {
            ++at_;
            return type;
        }
    return named_type();
}

// A name, with template arguments where it has them: the longest that is a type.
const Type* TypeReader::named_type() {
    if (now().kind != Token::Kind::name) return nullptr;
    std::size_t start = at_;
    if (std::string longer = template_id(); !longer.empty()) {
        if (const Type* type = names_.type(longer)) return type;
        at_ = start;
    }
    const Type* type = names_.type(now().text);
    if (type) ++at_;
    return type;
}

// "flight<lock, 3>::gate" from the name here on; empty, and nothing taken, if no balanced brackets
// follow.
std::string TypeReader::template_id() {
    std::size_t at = at_;
    int depth = 0;
    bool any = false;
    for (++at; at < tokens_.size(); ++at) {
        const Token& token = tokens_[at];
        if (token.kind == Token::Kind::end) break;
        bool mark = token.kind == Token::Kind::punctuation;
        if (depth == 0) {
            if (mark && token.text == "<") {
                ++depth;
                any = true;
                continue;
            }
            bool goes_on =
                any && mark && token.text == "::" && tokens_[at + 1].kind == Token::Kind::name;
            if (!goes_on) break;
            ++at;
            continue;
        }
        if (mark && token.text == "<") ++depth;
        if (mark && token.text == ">") --depth;
        if (mark && token.text == ">>") depth -= 2;
        if (depth < 0) return {};
    }
    if (!any || depth != 0) return {};
    std::string name(text_.substr(now().begin, tokens_[at - 1].end - now().begin));
    at_ = at;
    return name;
}

// Stars, "(*)", "[4]" and parameters behind a type (C17 §6.7.7): the inner declarator is read after
// what follows it.
const Type& TypeReader::declarator(const Type& base) {
    const Type* type = &base;
    for (;;) {
        if (take("*"))
            type = &pointer_to(*type);
        else if (take("&&") || (language_ != Language::rust && take("&")))
            type = &reference_to(*type);
        else if (is_qualifier())
            ++at_;
        else
            break;
    }
    bool nested = is("(") && ahead(1).kind == Token::Kind::punctuation &&
                  (ahead(1).text == "*" || ahead(1).text == "&");
    unsigned stars = 0;
    std::size_t start = at_;
    if (nested) {
        ++at_;
        while (take("*") || take("&")) ++stars;
        if (!take(")")) {
            at_ = start;
            return *type;
        }
    }
    type = &suffixes(*type);
    for (; stars; --stars) type = &pointer_to(*type);
    return *type;
}

const Type& TypeReader::suffixes(const Type& base) {
    if (is("[") && (ahead(1).kind == Token::Kind::integer || ahead(1).text == "]")) {
        std::uint64_t count = ahead(1).number;
        std::size_t start = at_++;
        if (now().kind == Token::Kind::integer) ++at_;
        if (!take("]")) {
            at_ = start;
            return base;
        }
        return array_of(suffixes(base), count);
    }
    if (is("(")) {
        std::size_t start = at_++;
        std::vector<const Type*> parameters;
        while (!is(")")) {
            const Type* parameter = try_type();
            if (!parameter || (!is(")") && !take(","))) {
                at_ = start;
                return base;
            }
            if (plain(*parameter).kind != TypeKind::nothing) parameters.push_back(parameter);
        }
        ++at_;
        return function_of(base, parameters);
    }
    return base;
}

}  // namespace lantern
