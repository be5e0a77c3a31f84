// What one statement of a function does to one of its variables: where the name stands in its text,
// and what stands around it.
//
//     unsigned rest = level - 2;      level: read     rest: set, to "level - 2"
//     rest += level;                  rest: set, to "rest + level"
//     if ((rest = take(lock)) > 2)    rest: perhaps set, lock in C++ too (a reference)
//     fill(&level);                   level: lost
#include "core/analysis/source_touch.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <string_view>

#include "core/support/text.h"

namespace lantern {
namespace {

using Touch = SourceTouch;

bool is_space(char c) {
    return std::isspace(static_cast<unsigned char>(c));
}

std::size_t next_letter(const std::string& text, std::size_t at) {
    while (at < text.size() && is_space(text[at])) ++at;
    return at;
}

// How many letters stand before the gap that ends at `at`.
std::size_t end_before(const std::string& text, std::size_t at) {
    while (at > 0 && is_space(text[at - 1])) --at;
    return at;
}

char letter_before(const std::string& text, std::size_t at) {
    std::size_t end = end_before(text, at);
    return end ? text[end - 1] : '\0';
}

std::string word_before(const std::string& text, std::size_t at) {
    std::size_t end = end_before(text, at), begin = end;
    while (begin > 0 && is_word_letter(text[begin - 1])) --begin;
    return text.substr(begin, end - begin);
}

bool is_one_of(std::string_view word, std::initializer_list<std::string_view> words) {
    return std::find(words.begin(), words.end(), word) != words.end();
}

// A word's place in a statement, and what stands around it.
struct Mention {
    std::size_t begin = 0, end = 0;
    bool is_in_brackets = false;
    std::size_t bracket = 0;  // the innermost that is open
};

std::vector<Mention> mentions_of(const std::string& text, const std::string& word) {
    std::vector<Mention> found;
    if (text.find(word) == std::string::npos) return found;  // most statements have other names
    std::vector<std::size_t> open;
    for (std::size_t i = 0; i < text.size();) {
        char c = text[i];
        if (is_word_letter(c)) {
            std::size_t end = i;
            while (end < text.size() && is_word_letter(text[end])) ++end;
            char before = letter_before(text, i);
            bool is_member = before == '.' || (before == '>' && i > 1 && text[i - 2] == '-') ||
                             (before == ':' && i > 1 && text[i - 2] == ':');
            if (!is_member && text.compare(i, end - i, word) == 0)
                found.push_back({i, end, !open.empty(), open.empty() ? 0 : open.back()});
            i = end;
            continue;
        }
        if (c == '(' || c == '[' || c == '{') open.push_back(i);
        if ((c == ')' || c == ']' || c == '}') && !open.empty()) open.pop_back();
        ++i;
    }
    return found;
}

constexpr std::array<std::string_view, 10> kCompound = {
    "<<=", ">>=", "+=", "-=", "*=", "/=", "%=", "&=", "|=", "^="};

std::string_view compound_at(const std::string& text, std::size_t at) {
    for (std::string_view each : kCompound)
        if (text.compare(at, each.size(), each) == 0) return each;
    return {};
}

bool is_plain_assignment(const std::string& text, std::size_t at) {
    return at < text.size() && text[at] == '=' &&
           (at + 1 == text.size() || (text[at + 1] != '=' && text[at + 1] != '>'));
}

bool is_step(const std::string& text, std::size_t at) {
    return text.compare(at, 2, "++") == 0 || text.compare(at, 2, "--") == 0;
}

// Nothing but a type, or nothing at all.
bool is_type_or_nothing(std::string_view text) {
    if (trimmed(text).starts_with('*')) return false;
    return std::all_of(text.begin(), text.end(), [](char c) {
        return is_word_letter(c) || is_space(c) || c == ':' || c == '<' || c == '>' || c == '*';
    });
}

// Whose type holds it back from being a variable like others.
bool lives_on(const std::string& text) {
    for (const char* word : {"static", "thread_local", "_Thread_local", "volatile", "extern"})
        if (!mentions_of(text, word).empty()) return true;
    return false;
}

// One mention of a variable in a statement, and the questions that tell what it does there.
class MentionReader {
  public:
    // `rest`: of a member, what follows the variable's name (".level"); `makes_members`: see
    // makes_all_members.
    MentionReader(const SourceStatement& statement, const std::string& rest, const Mention& mention,
                  CodeLanguage language, bool makes_members)
        : statement_(statement),
          text_(statement.text),
          mention_(mention),
          language_(language),
          makes_members_(makes_members),
          prefix_(text_.substr(0, mention.begin)),
          before_at_(end_before(text_, mention.begin)),
          before_(before_at_ ? text_[before_at_ - 1] : '\0') {
        std::size_t end = mention.end;
        is_whole_ = rest.empty();
        bool has_rest = !rest.empty() && text_.compare(end, rest.size(), rest) == 0;
        if (has_rest &&
            (end + rest.size() == text_.size() || !is_word_letter(text_[end + rest.size()]))) {
            end += rest.size();
            is_whole_ = true;
        }
        next_ = next_letter(text_, end);
        behind_ = next_ < text_.size() ? text_[next_] : ';';
    }

    Touch touch() const {
        if (gives_address() || is_bound_to_reference() || is_assembler()) return Touch::loses;
        if (is_set() || is_stepped()) return touch_of_assignment();
        bool is_changed = is_in_pattern() || is_read_into() || is_changed_by_call() ||
                          (!is_whole_ && behind_ == '.' && language_ != CodeLanguage::c);
        return is_changed ? Touch::may_set : Touch::none;
    }

  private:
    bool is_rust() const { return language_ == CodeLanguage::rust; }
    bool is_head() const {
        return statement_.kind == SourceStatement::Kind::loop ||
               statement_.kind == SourceStatement::Kind::choice;
    }
    bool is_declared_by_let() const {
        return is_rust() && prefix_.starts_with("let") && prefix_.find('=') == std::string::npos;
    }
    bool is_set() const {
        return is_plain_assignment(text_, next_) || !compound_at(text_, next_).empty() ||
               (is_declared_by_let() && behind_ == ':');
    }
    bool steps_behind() const { return is_step(text_, next_); }
    bool is_stepped() const {
        return steps_behind() || (before_at_ >= 2 && is_step(text_, before_at_ - 2));
    }

    Touch touch_of_assignment() const {
        // `*level = 3` sets what it leads to.
        bool is_only_starred = !prefix_.empty() && prefix_.find_first_not_of("* ") == prefix_.npos;
        if (is_set() && is_only_starred) return Touch::none;
        if (is_set() && is_type_or_nothing(prefix_) && lives_on(prefix_)) return Touch::loses;
        bool makes_all = !is_whole_ && language_ == CodeLanguage::c && makes_members_;
        if (mention_.is_in_brackets || is_head() || (!is_whole_ && !makes_all))
            return Touch::may_set;
        if (is_set()) return is_type_or_nothing(prefix_) ? Touch::sets : Touch::may_set;
        bool begins = before_at_ == (steps_behind() ? 0 : 2);
        bool ends = next_letter(text_, next_ + (steps_behind() ? 2 : 0)) >= text_.size();
        return begins && ends ? Touch::sets : Touch::may_set;
    }

    // `&level`, but not `flags & level`.
    bool gives_address() const {
        if (is_rust())
            return word_before(text_, mention_.begin) == "mut" &&
                   prefix_.find('&') != std::string::npos;
        if (before_ != '&') return false;
        char earlier = letter_before(text_, before_at_ - 1);
        bool is_operator =
            (is_word_letter(earlier) && word_before(text_, before_at_ - 1) != "return") ||
            earlier == ')' || earlier == ']' || earlier == '&';
        return !is_operator;
    }
    // `unsigned& best = level;`
    bool is_bound_to_reference() const {
        std::size_t sign = text_.find('&');
        return language_ == CodeLanguage::cplusplus && sign != std::string::npos && sign > 0 &&
               sign < mention_.begin && is_type_or_nothing(text_.substr(0, sign)) &&
               prefix_.find('=') != std::string::npos;
    }
    bool is_assembler() const {
        return is_one_of(text_.substr(0, text_.find_first_of(" (")), {"asm", "__asm__", "__asm"});
    }
    // `let (level, rest) = …`, `if let Some(level) = …`, `for level in …`, `auto [level, rest] = …`
    bool is_in_pattern() const {
        if (is_rust())
            return (is_declared_by_let() && behind_ != ';') ||
                   (is_head() &&
                    (prefix_.find("let ") != std::string::npos || prefix_.ends_with("for ")));
        return language_ == CodeLanguage::cplusplus && prefix_.starts_with("auto") &&
               prefix_.find('[') != std::string::npos && prefix_.find('=') == std::string::npos;
    }
    // `std::cin >> level`
    bool is_read_into() const {
        return language_ == CodeLanguage::cplusplus && before_ == '>' && before_at_ > 1 &&
               text_[before_at_ - 2] == '>' && prefix_.find('=') == std::string::npos;
    }
    // Handed over by itself: in C++ perhaps as a reference, in C only to a macro.
    bool is_changed_by_call() const {
        constexpr std::string_view kOpens = "(,{", kCloses = "),}";
        bool is_argument = mention_.is_in_brackets &&
                           kOpens.find(before_) != std::string_view::npos &&
                           kCloses.find(behind_) != std::string_view::npos;
        if (!is_argument || is_rust()) return false;
        std::string callee = word_before(text_, mention_.bracket);
        if (is_one_of(callee, {"if", "while", "for", "switch", "return", "sizeof"})) return false;
        if (language_ == CodeLanguage::cplusplus) {
            char last = letter_before(text_, mention_.bracket);
            return is_word_letter(last) || last == '>' || last == ')';
        }
        return !callee.empty() && std::none_of(callee.begin(), callee.end(), [](char c) {
            return std::islower(static_cast<unsigned char>(c));
        });
    }

    const SourceStatement& statement_;
    const std::string& text_;
    const Mention& mention_;
    const CodeLanguage language_;
    const bool makes_members_;
    const std::string prefix_;
    const std::size_t before_at_;  // how many letters stand before the gap before it
    const char before_;
    std::size_t next_ = 0;  // the next letter behind it
    char behind_ = ';';
    bool is_whole_ = true;  // the variable or member itself is mentioned, not what it is a part of
};

}  // namespace

Touch touch_of(const std::string& name, const SourceStatement& statement, CodeLanguage language) {
    std::string base = name.substr(0, name.find('.')), rest = name.substr(base.size());
    bool makes_members = makes_all_members(name, statement);
    Touch most = Touch::none;
    for (const Mention& mention : mentions_of(statement.text, base))
        most = std::max(most,
                        MentionReader(statement, rest, mention, language, makes_members).touch());
    return most;
}

bool mentions(const std::string& word, const SourceStatement& statement) {
    return !mentions_of(statement.text, word).empty();
}

bool declares(const std::string& name, const SourceStatement& statement) {
    for (const Mention& mention : mentions_of(statement.text, name)) {
        std::string prefix(trimmed(statement.text.substr(0, mention.begin)));
        bool is_type = !prefix.empty() && is_type_or_nothing(prefix) &&
                       !is_one_of(prefix, {"return", "else", "case", "throw", "delete", "do",
                                           "co_return", "co_yield"});
        if (is_type) return true;
    }
    return false;
}

std::vector<std::string> calls_in(const SourceStatement& statement, CodeLanguage language) {
    const std::string& text = statement.text;
    std::vector<std::string> calls;
    for (std::size_t i = 0; i < text.size();) {
        if (!is_word_letter(text[i])) {
            ++i;
            continue;
        }
        std::size_t end = i;
        while (end < text.size() && is_word_letter(text[end])) ++end;
        std::string word = text.substr(i, end - i);
        std::size_t next = next_letter(text, end);
        char before = letter_before(text, i);
        bool is_member =
            before == '.' || before == ':' || (before == '>' && i > 1 && text[i - 2] == '-');
        bool is_call = next < text.size() && text[next] == '(';
        // Rust's macros see no variable that they are not handed.
        bool is_rust_macro = language == CodeLanguage::rust && next < text.size() &&
                             text[next] == '!' &&
                             !is_one_of(word, {"println", "print", "eprintln", "eprint", "format",
                                               "assert", "assert_eq", "assert_ne", "debug_assert",
                                               "vec", "panic", "matches", "write", "writeln"});
        bool is_keyword = is_one_of(
            word, {"if",     "while",   "for",      "switch",   "return", "sizeof", "do",
                   "let",    "alignof", "_Alignof", "decltype", "else",   "assert", "catch",
                   "match",  "in",      "unsigned", "int",      "long",   "char",   "short",
                   "signed", "float",   "double",   "bool",     "_Bool"});
        bool is_all = i == 0 && end == text.size();
        if (!is_keyword && ((is_call && !is_member) || is_all || is_rust_macro))
            calls.push_back(word);
        i = end;
    }
    return calls;
}

namespace {

// Behind the sign of `TYPE name = {…}`, the values between the braces.
std::vector<std::string> values_in_braces(const std::string& base,
                                          const SourceStatement& statement) {
    const std::string& text = statement.text;
    std::vector<Mention> mentions = mentions_of(text, base);
    if (mentions.size() != 1 || mentions.front().is_in_brackets) return {};
    std::string prefix(trimmed(text.substr(0, mentions.front().begin)));
    std::size_t sign = next_letter(text, mentions.front().end);
    bool is_declaration = !prefix.empty() && is_type_or_nothing(prefix) && !lives_on(prefix) &&
                          is_plain_assignment(text, sign);
    std::size_t open = is_declaration ? next_letter(text, sign + 1) : text.size();
    if (open >= text.size() || text[open] != '{' || text.back() != '}') return {};
    std::vector<std::string> values;
    int depth = 0;
    std::size_t begin = open + 1;
    for (std::size_t i = begin; i < text.size(); ++i) {
        char c = text[i];
        bool ends = depth == 0 && (c == ',' || c == '}');
        if (c == '(' || c == '[' || c == '{') ++depth;
        if (ends) values.emplace_back(trimmed(text.substr(begin, i - begin)));
        if (ends) begin = i + 1;
        if (ends && c == '}' && i + 1 != text.size()) return {};
        if (c == ')' || c == ']' || (c == '}' && depth > 0)) --depth;
    }
    return values;
}

}  // namespace

bool makes_all_members(const std::string& name, const SourceStatement& statement) {
    std::size_t dot = name.find('.');
    return dot != std::string::npos && !values_in_braces(name.substr(0, dot), statement).empty();
}

std::optional<std::string> member_made_by(const std::string& name, std::size_t member,
                                          const SourceStatement& statement) {
    std::size_t dot = name.find('.');
    std::vector<std::string> values = values_in_braces(name.substr(0, dot), statement);
    bool are_plain = std::none_of(values.begin(), values.end(), [](const std::string& value) {
        return value.empty() || value[0] == '.' || value[0] == '{' || value[0] == '[';
    });
    return are_plain && member < values.size() ? std::optional(values[member]) : std::nullopt;
}

std::optional<std::string> condition_of(const SourceStatement& head, CodeLanguage language) {
    std::string text = head.text;
    if (text == "else") return std::string();
    if (text.starts_with("else ")) text = text.substr(5);
    if (!text.starts_with("if")) return std::nullopt;
    std::string condition(trimmed(text.substr(2)));
    bool is_more = condition.find(';') != std::string::npos || condition.starts_with("constexpr") ||
                   condition.starts_with("let ");
    if (is_more || condition.empty()) return std::nullopt;
    if (language == CodeLanguage::rust) return condition;
    bool is_in_parentheses = condition.front() == '(' && condition.back() == ')';
    return is_in_parentheses ? std::optional(condition) : std::nullopt;
}

std::optional<std::string> value_set_by(const std::string& name, const SourceStatement& statement) {
    const std::string& text = statement.text;
    std::string base = name.substr(0, name.find('.'));
    std::vector<Mention> mentions = mentions_of(text, base);
    if (mentions.empty()) return std::nullopt;
    std::size_t next = next_letter(text, mentions.front().end + name.size() - base.size());
    if (is_step(text, 0) || is_step(text, next))
        return fmt::format("{} {} 1", name, text[is_step(text, 0) ? 0 : next]);
    std::string_view compound = compound_at(text, next);
    std::size_t sign = compound.empty() ? text.find('=', next) : next + compound.size() - 1;
    if (sign == std::string::npos) return std::nullopt;
    int depth = 0;
    std::size_t end = sign + 1;
    for (; end < text.size(); ++end) {
        char c = text[end];
        if (c == '(' || c == '[' || c == '{') ++depth;
        if (c == ')' || c == ']' || c == '}') --depth;
        if (depth == 0 && c == ',') break;
        bool sets_more = is_plain_assignment(text, end) &&
                         std::string_view("=!<>").find(text[end - 1]) == std::string_view::npos;
        if (sets_more) return std::nullopt;
    }
    std::string value(trimmed(text.substr(sign + 1, end - sign - 1)));
    if (value.empty()) return std::nullopt;
    if (compound.empty()) return value;
    bool is_one_word = std::all_of(value.begin(), value.end(), is_word_letter);
    return fmt::format("{} {} {}", name, compound.substr(0, compound.size() - 1),
                       is_one_word ? value : "(" + value + ")");
}

}  // namespace lantern
