#include "core/analysis/moved_away.h"

#include <algorithm>
#include <string_view>

#include "core/support/text.h"

namespace lantern {
namespace {

// A type of the library that frees what it leads to. (A reference is a pointer of no such name.)
bool is_owner(const Type& type) {
    const std::string& name = type.full_name();
    for (const char* of : {"alloc::", "std::collections::", "std::fs::", "std::thread::JoinHandle"})
        if (name.starts_with(of)) return true;
    return false;
}

bool owns_memory(const Type& type, unsigned depth = 0) {
    constexpr unsigned kDeepest = 6;
    const Type& of = plain(type);
    if (is_owner(of)) return true;
    if (depth == kDeepest) return false;
    auto any_owns = [&](const std::vector<Member>& members) {
        return std::ranges::any_of(members, [&](const Member& member) {
            return member.type && owns_memory(*member.type, depth + 1);
        });
    };
    switch (of.kind) {
        case TypeKind::array: return of.target && owns_memory(*of.target, depth + 1);
        case TypeKind::structure:
            return any_owns(of.members()) ||
                   std::ranges::any_of(of.variants(), [&](const Variant& variant) {
                       return any_owns(variant.members);
                   });
        default: return false;
    }
}

bool is_gap(char c) {
    return c == ' ';
}

// The text without what stands in its strings: as many letters, all of them gaps.
std::string without_strings(std::string text) {
    bool is_in_string = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
        bool is_escaped = is_in_string && text[i] == '\\';
        bool is_letter = !is_in_string && i + 2 < text.size() && text[i] == '\'' &&
                         text[i + 1] == '"' && text[i + 2] == '\'';
        if (is_letter) text[i + 1] = ' ';
        if (text[i] == '"')
            is_in_string = !is_in_string;
        else if (is_in_string)
            text[i] = ' ';
        if (is_escaped && i + 1 < text.size()) text[++i] = ' ';
    }
    return text;
}

// Where a variable's name stands in a statement, and what stands around it.
class Mentioned {
  public:
    Mentioned(std::string_view text, std::size_t begin, std::size_t end)
        : text_(text), begin_(begin), end_(end) {}

    bool is_moved() const {
        if (is_of_a_path() || is_in_a_pattern()) return false;
        if (is_captured()) return true;
        return !is_in_a_block() && (is_gone_through() || is_all_that_is_assigned() ||
                                    is_turned_into_another() || is_argument() || is_member_made());
    }

  private:
    // The letters next to it; 0 at either end of the text.
    std::size_t last_before(std::size_t at) const {
        while (at > 0 && is_gap(text_[at - 1])) --at;
        return at;
    }
    char before() const {
        std::size_t at = last_before(begin_);
        return at ? text_[at - 1] : '\0';
    }
    std::string_view behind() const {
        std::size_t at = end_;
        while (at < text_.size() && is_gap(text_[at])) ++at;
        return text_.substr(at);
    }
    char after() const { return behind().empty() ? '\0' : behind()[0]; }
    std::string_view all_before() const { return text_.substr(0, last_before(begin_)); }

    bool is_of_a_path() const {
        return before() == '.' || all_before().ends_with("::") || behind().starts_with("::");
    }
    // What is named there is another one: let Some(NAME) = …, for (at, NAME) in …, Some(NAME) => …
    bool is_in_a_pattern() const {
        std::string_view left = text_.substr(0, begin_), right = text_.substr(end_);
        std::size_t let = left.rfind("let "), loop = left.rfind("for ");
        bool is_of_let =
            let != std::string_view::npos && left.find('=', let) == std::string_view::npos;
        bool is_of_loop = loop != std::string_view::npos &&
                          left.find(" in ", loop) == std::string_view::npos &&
                          right.find(" in ") != std::string_view::npos;
        return is_of_let || is_of_loop || right.find("=>") != std::string_view::npos;
    }
    // for barge in NAME
    bool is_gone_through() const {
        return text_.find("for ") != std::string_view::npos && all_before().ends_with(" in") &&
               (after() == '\0' || after() == '{');
    }
    // let kept = NAME
    bool is_all_that_is_assigned() const {
        std::string_view left = all_before();
        if (!left.ends_with('=') || (after() != '\0' && after() != ';')) return false;
        char operation = left.size() > 1 ? left[left.size() - 2] : '\0';
        return operation == ' ' || is_word_letter(operation);
    }
    // NAME.into_iter()
    bool is_turned_into_another() const {
        return behind().starts_with(".into_") || behind().starts_with(".into(");
    }
    // The innermost bracket that is open before that place.
    std::size_t bracket_around(std::size_t place) const {
        unsigned closed = 0;
        for (std::size_t at = place; at-- > 0;) {
            char c = text_[at];
            if (c == ')' || c == ']' || c == '}') ++closed;
            if (c != '(' && c != '[' && c != '{') continue;
            if (closed == 0) return at;
            --closed;
        }
        return std::string_view::npos;
    }
    // Barge { … }, and not `else { … }`: types begin with a capital.
    bool makes_a_structure(std::size_t bracket) const {
        std::size_t end = last_before(bracket), begin = end;
        while (begin > 0 && is_word_letter(text_[begin - 1])) --begin;
        return begin < end && text_[begin] >= 'A' && text_[begin] <= 'Z';
    }
    // Of a choice or a loop within the statement, which may not have run; of a closure.
    bool is_in_a_block() const {
        for (std::size_t at = begin_; (at = bracket_around(at)) != std::string_view::npos;)
            if (text_[at] == '{' && !makes_a_structure(at)) return true;
        return false;
    }
    char before_bracket(std::size_t bracket) const {
        std::size_t at = last_before(bracket);
        return at ? text_[at - 1] : '\0';
    }
    // moor(NAME, 3); a macro takes what it likes
    bool is_argument() const {
        std::size_t open = bracket_around(begin_);
        if (open == std::string_view::npos || text_[open] != '(') return false;
        char called = before_bracket(open);
        bool is_call = is_word_letter(called) || called == '>';
        bool is_whole = (before() == '(' || before() == ',') && (after() == ')' || after() == ',');
        return is_call && is_whole;
    }
    // Barge { NAME, crew: NAME }
    bool is_member_made() const {
        std::size_t open = bracket_around(begin_);
        if (open == std::string_view::npos || text_[open] != '{') return false;
        bool is_whole = (before() == '{' || before() == ',' || before() == ':') &&
                        (after() == '}' || after() == ',');
        return makes_a_structure(open) && is_whole;
    }
    // Behind `move |…|`, and not behind the closure that begins there.
    bool is_in_a_moving_closure() const {
        std::size_t begin = text_.substr(0, begin_).rfind("move |");
        if (begin == std::string_view::npos) return false;
        std::size_t parameters_end = text_.find('|', begin + 6);
        int depth = 0;
        for (std::size_t at = parameters_end; at < begin_; ++at) {
            char c = text_[at];
            depth += c == '(' || c == '[' || c == '{';
            depth -= c == ')' || c == ']' || c == '}';
            if (depth < 0 || (depth == 0 && c == ',')) return false;
        }
        return parameters_end < begin_;
    }
    // move || … NAME …; of NAME.crew it takes that member alone
    bool is_captured() const {
        if (!is_in_a_moving_closure()) return false;
        std::string_view rest = behind();
        if (!rest.starts_with('.')) return true;
        std::size_t end = 1;
        while (end < rest.size() && is_word_letter(rest[end])) ++end;
        return end < rest.size() && rest[end] == '(';
    }

    std::string_view text_;
    std::size_t begin_, end_;
};

bool has_word(std::string_view text, std::string_view word) {
    for (std::size_t at = 0; (at = text.find(word, at)) != std::string_view::npos; ++at) {
        std::size_t end = at + word.size();
        bool begins = at == 0 || !is_word_letter(text[at - 1]);
        if (begins && (end == text.size() || !is_word_letter(text[end]))) return true;
    }
    return false;
}

// `|NAME| …`: what follows is that one.
bool is_parameter_of_a_closure(std::string_view name, std::string_view text) {
    for (std::size_t open = text.find('|'); open != std::string_view::npos;) {
        std::size_t close = text.find('|', open + 1);
        if (close == std::string_view::npos) return false;
        if (has_word(text.substr(open + 1, close - open - 1), name)) return true;
        open = close;
    }
    return false;
}

bool is_around(const std::vector<std::uint32_t>& outer, const std::vector<std::uint32_t>& inner) {
    return outer.size() <= inner.size() && std::equal(outer.begin(), outer.end(), inner.begin());
}

}  // namespace

bool hands_over(const std::string& name, const std::string& statement) {
    if (name.empty() || statement.find(name) == std::string::npos) return false;
    std::string text = without_strings(statement);
    if (is_parameter_of_a_closure(name, text)) return false;
    for (std::size_t at = 0; (at = text.find(name, at)) != std::string::npos; at += name.size()) {
        std::size_t end = at + name.size();
        bool is_word = (at == 0 || !is_word_letter(text[at - 1])) &&
                       (end == text.size() || !is_word_letter(text[end]));
        if (is_word && Mentioned(text, at, end).is_moved()) return true;
    }
    return false;
}

bool is_moved_by(const Variable& variable, const std::string& statement) {
    return variable.type && owns_memory(*variable.type) && hands_over(variable.name, statement);
}

std::optional<std::uint32_t> moved_away_at(const Variable& variable, const SourceChanges& changes,
                                           std::size_t here) {
    const auto& statements = changes.statements();
    if (!variable.type || !owns_memory(*variable.type)) return std::nullopt;
    static const std::vector<std::uint32_t> kNoBlock;
    const auto& blocks = here < statements.size() ? statements[here].blocks : kNoBlock;
    bool is_declared_here =
        here < statements.size() && statements[here].first_line <= variable.declared_line;
    if (is_declared_here) return std::nullopt;
    for (std::size_t i = std::min(here, statements.size()); i-- > 0;) {
        const SourceStatement& each = statements[i];
        bool is_before_it = each.first_line <= variable.declared_line;
        if (is_before_it || changes.text_of_value(variable.name, i)) return std::nullopt;
        if (is_around(each.blocks, blocks) && hands_over(variable.name, each.text))
            return each.first_line;
    }
    return std::nullopt;
}

}  // namespace lantern
