// What one statement of a function does to one of its variables, by its text.
#pragma once

#include <optional>
#include <string>

#include "core/analysis/source_statements.h"

namespace lantern {

enum class SourceTouch {
    none,
    sets,     // it is all that the statement does
    may_set,  // or does in part, or in some cases
    loses,    // whoever may set it from now on is not known any more
};

// `name` may lead to a member ("lock.level").
SourceTouch touch_of(const std::string& name, const SourceStatement& statement,
                     CodeLanguage language);
// What a statement that sets it sets it to: "first + 2"; of `sum += first` "sum + first". Nothing
// where it is not that simple.
std::optional<std::string> value_set_by(const std::string& name, const SourceStatement& statement);
// Whether it declares the structure that the name is a member of with a value for each: "Lock lock
// = {4, flow};". And the text of one of those; nothing where it has none.
bool makes_all_members(const std::string& name, const SourceStatement& statement);
std::optional<std::string> member_made_by(const std::string& name, std::size_t member,
                                          const SourceStatement& statement);
// What decides whether the way of an `if` or `else` is gone: "first > second"; empty: of an else
// alone, nothing where it is more than an expression.
std::optional<std::string> condition_of(const SourceStatement& head, CodeLanguage language);
// Whether it declares a variable of that name.
bool declares(const std::string& name, const SourceStatement& statement);
bool mentions(const std::string& word, const SourceStatement& statement);
// What it calls by its bare name, and a word of capitals that is all of it: each may be a macro
// that does anything. Keywords are not among them, nor what is called of an object or a namespace.
std::vector<std::string> calls_in(const SourceStatement& statement, CodeLanguage language);

}  // namespace lantern
