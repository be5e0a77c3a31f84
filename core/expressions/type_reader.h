// Reads the types that stand in expressions, in casts and sizeof: C's and C++'s names with their
// declarators (C17 §6.7.7), Rust's pointers, template ids. The reader of expressions is made on top
// of it; both move over the same tokens.
#pragma once

#include <algorithm>

#include "core/expressions/lexer.h"
#include "core/expressions/syntax.h"
#include "core/support/advice.h"

namespace lantern {

bool is_base_word(const std::string& word);  // "unsigned", "char16_t", "const" …

class TypeReader {
  public:
    // `text` and `names` are borrowed. Throws ExpressionError for what is no token.
    TypeReader(std::string_view text, const NameJudge& names, Language language)
        : text_(text),
          tokens_(without_macros(tokens_of(text), names)),
          names_(names),
          language_(language) {}

    // A type's name with its stars; null and nothing taken if this is no type.
    const Type* try_type();
    const Type& needed_type();  // throws ExpressionError if there is none
    // "flight<lock, 3>::gate" from the name here on; empty, and nothing taken, if no balanced
    // brackets follow.
    std::string template_id();

  protected:
    const Token& now() const { return tokens_[at_]; }
    const Token& ahead(std::size_t n) const {
        return tokens_[std::min(at_ + n, tokens_.size() - 1)];
    }
    bool is(std::string_view mark) const {
        return now().kind == Token::Kind::punctuation && now().text == mark;
    }
    bool is_word(std::string_view word) const {
        return now().kind == Token::Kind::name && now().text == word;
    }
    bool take(std::string_view mark);
    void need(std::string_view mark);
    static std::string shown(const Token& token);
    [[noreturn]] void fail(const std::string& what, Advice advice = {}) const;

    std::string_view text_;
    std::vector<Token> tokens_;
    const NameJudge& names_;
    Language language_;
    std::size_t at_ = 0;

  private:
    bool is_qualifier() const;
    const Type* rust_pointer_type();
    const Type* type_specifier();
    const Type* named_type();
    const Type& declarator(const Type& base);
    const Type& suffixes(const Type& base);
};

}  // namespace lantern
