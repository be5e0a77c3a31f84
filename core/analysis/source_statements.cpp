#include "core/analysis/source_statements.h"

#include <algorithm>
#include <cctype>
#include <optional>
#include <string_view>
#include <utility>

#include "core/support/text.h"

namespace lantern {
namespace {

constexpr std::uint32_t kMostLines = 5'000;  // of one function

struct Letter {
    char c = 0;
    std::uint32_t line = 0;
    bool is_under_condition = false;  // of the preprocessor
};

// What a directive adds to the depth of conditions.
int depth_added_by(const std::string& directive) {
    std::size_t at = directive.find_first_not_of(" \t#");
    if (at == std::string::npos) return 0;
    return directive.compare(at, 2, "if") == 0      ? 1
           : directive.compare(at, 5, "endif") == 0 ? -1
                                                    : 0;
}

// The text from a line on without comments and directives; what is in quotes counts as letters.
std::vector<Letter> letters_from(const std::vector<std::string>& lines, std::uint32_t first,
                                 CodeLanguage language) {
    std::vector<Letter> letters;
    int depth = 0;
    CodeReader reader(language);
    std::uint32_t last =
        std::min<std::uint32_t>(static_cast<std::uint32_t>(lines.size()), first + kMostLines);
    for (std::uint32_t number = first; number && number <= last; ++number) {
        std::string text = lines[number - 1];
        bool is_directive = false;
        for (const CodePart& part : reader.parts(lines[number - 1])) {
            is_directive |= part.kind == CodeKind::directive;
            if (part.kind == CodeKind::comment)
                std::fill(text.begin() + static_cast<std::ptrdiff_t>(part.begin),
                          text.begin() + static_cast<std::ptrdiff_t>(part.end), ' ');
            if (part.kind == CodeKind::text)
                std::fill(text.begin() + static_cast<std::ptrdiff_t>(part.begin),
                          text.begin() + static_cast<std::ptrdiff_t>(part.end), '"');
        }
        if (is_directive) {
            depth = std::max(0, depth + depth_added_by(text));
            continue;
        }
        for (char c : text) letters.push_back({c, number, depth > 0});
        letters.push_back({' ', number, depth > 0});
    }
    return letters;
}

std::string first_word(const std::string& text) {
    std::size_t end = 0;
    while (end < text.size() && is_word_letter(text[end])) ++end;
    return text.substr(0, end);
}

class StatementReader {
  public:
    StatementReader(const std::vector<Letter>& letters, CodeLanguage language)
        : letters_(letters),
          is_rust_(language == CodeLanguage::rust),
          is_c_(language == CodeLanguage::c) {}

    std::vector<SourceStatement> read() {
        if (!find_body()) return {};
        while (at_ < letters_.size() && !is_over_) step();
        return std::move(statements_);
    }

  private:
    // To behind the first brace of the body; false where a declaration ends before one. In the C of
    // old the parameters are declared between.
    bool find_body() {
        int depth = 0;
        char last = 0;
        for (; at_ < letters_.size(); ++at_) {
            char c = letters_[at_].c;
            if (c == '(' || c == '[') ++depth;
            if (c == ')' || c == ']') --depth;
            if (c == ';' && depth == 0 && (last == ')' || !is_c_)) return false;
            if (c == '{' && depth == 0) {
                ++at_;
                return true;
            }
            if (!std::isspace(static_cast<unsigned char>(c))) last = c;
        }
        return false;
    }

    void step() {
        Letter letter = letters_[at_++];
        if (depth_ == 0 && ends_head(letter)) end_statement(true);
        switch (letter.c) {
            case '(':
            case '[': ++depth_; break;
            case ')':
            case ']': --depth_; break;
            case '{':
                if (depth_ > 0 || (!text_.empty() && !is_head() && begins_a_value())) {
                    ++depth_;
                    break;
                }
                end_statement(true);
                open_.push_back(std::exchange(heads_, {}));
                open_block();
                return;
            case '}':
                if (depth_ > 0) {
                    --depth_;
                    break;
                }
                end_statement(false);
                close(letter.line);
                return;
            case ';':
                if (depth_ > 0) break;
                end_statement(false);
                awaited_.clear();  // also behind a body that is empty
                return;
            case ',':
                if (is_rust_ && depth_ == 0 && !open_.empty()) return end_statement(false);
                break;
            case ':':
                if (!is_rust_ && depth_ == 0 && ends_label()) {
                    text_.clear();
                    return;
                }
                break;
            case '>':
                // An arm: what stands before the arrow is no code of its own.
                if (is_rust_ && depth_ == 0 && text_.ends_with('=')) {
                    text_.clear();
                    return;
                }
                break;
            default: break;
        }
        add(letter);
    }

    void add(Letter letter) {
        if (std::isspace(static_cast<unsigned char>(letter.c))) {
            if (!text_.empty() && text_.back() != ' ') text_ += ' ';
            return;
        }
        if (text_.empty()) {
            first_line_ = letter.line;
            is_under_condition_ = false;
        }
        is_under_condition_ |= letter.is_under_condition;
        last_line_ = letter.line;
        text_ += letter.c;
    }

    // `int a[] = {1, 2}`, `Barge {name: …}`; not the body of a function, a class or a block.
    bool begins_a_value() const {
        std::string text(trimmed(text_));
        if (text.ends_with('=') || text.ends_with("return")) return true;
        return is_rust_ ? text.find('=') != std::string::npos : false;
    }

    bool is_head() const {
        std::string text = text_;
        for (bool again = true; again;) {
            again = false;
            std::string word = first_word(text);
            if (word == "else" || (is_rust_ && text.starts_with('\''))) {
                std::size_t space = text.find(' ');
                if (space == std::string::npos) return true;  // else, alone
                text = text.substr(space + 1);
                again = !text.empty();
            }
        }
        std::string word = first_word(text);
        for (std::string_view head : {"for", "while", "if", "switch", "do", "loop", "match", "try",
                                      "catch", "unsafe", "else"})
            if (word == head) return true;
        return text.empty();
    }

    // `case 3:`, `again:`; not the colon of a choice of values, nor one of two.
    bool ends_label() const {
        std::string text(trimmed(text_));
        bool is_one_of_two = (at_ < letters_.size() && letters_[at_].c == ':') ||
                             (at_ > 1 && letters_[at_ - 2].c == ':');
        if (is_one_of_two || text.empty()) return false;
        return first_word(text) == text || first_word(text) == "case";
    }

    // In C the head of a loop or choice ends behind its parentheses; the body may have no braces.
    bool ends_head(Letter next) const {
        if (is_rust_ || text_.empty() || next.c == ';' ||
            std::isspace(static_cast<unsigned char>(next.c)))
            return false;
        std::string text(trimmed(text_));
        bool is_a_word = text_.ends_with(' ');
        if (text == "else") return is_a_word && next.c != '{' && !next_is_if();
        if (text == "do") return is_a_word && next.c != '{';
        return text.ends_with(')') && is_head() && first_word(text) != "do";
    }
    bool next_is_if() const {
        return at_ < letters_.size() && letters_[at_ - 1].c == 'i' && letters_[at_].c == 'f';
    }

    void end_statement(bool is_head_of_body) {
        std::string text(trimmed(std::exchange(text_, {})));
        if (text.empty()) return;
        SourceStatement statement;
        statement.first_line = first_line_;
        statement.last_line = last_line_;
        statement.kind = kind_of(text, is_head_of_body);
        statement.body_last = last_line_;
        statement.text = std::move(text);
        statement.is_under_condition = is_under_condition_;
        statement.blocks = blocks_;
        statement.blocks.insert(statement.blocks.end(), awaited_.begin(), awaited_.end());
        if (is_head_of_body)
            awaited_.push_back(statement.opens = ++last_block_);
        else
            awaited_.clear();
        std::size_t number = statements_.size();
        statements_.push_back(std::move(statement));
        bool has_body =
            is_head_of_body && (statements_.back().kind == SourceStatement::Kind::loop ||
                                statements_.back().kind == SourceStatement::Kind::choice);
        if (has_body)
            heads_.push_back(number);
        else if (!is_head_of_body)
            end_bodies(std::exchange(heads_, {}), last_line_);
        // `do … while (…);` is one loop.
        auto loop = std::exchange(done_, std::nullopt);
        if (loop && statements_.back().text.starts_with("while")) {
            statements_[*loop].body_last = last_line_;
            statements_.back().kind = SourceStatement::Kind::plain;
        }
    }

    // What the heads before the brace open, or a block of nobody's.
    void open_block() {
        if (awaited_.empty()) awaited_.push_back(++last_block_);
        blocks_.insert(blocks_.end(), awaited_.begin(), awaited_.end());
        widths_.push_back(std::exchange(awaited_, {}).size());
    }

    void end_bodies(const std::vector<std::size_t>& heads, std::uint32_t line) {
        for (std::size_t number : heads) statements_[number].body_last = line;
    }

    void close(std::uint32_t line) {
        if (open_.empty()) {
            is_over_ = true;
            return;
        }
        end_bodies(open_.back(), line);
        for (std::size_t number : open_.back())
            if (statements_[number].text == "do") done_ = number;
        open_.pop_back();
        blocks_.resize(blocks_.size() - widths_.back());
        widths_.pop_back();
        awaited_.clear();
    }

    SourceStatement::Kind kind_of(const std::string& text, bool is_head_of_body) const {
        using Kind = SourceStatement::Kind;
        std::string rest = text;
        while (first_word(rest) == "else" || rest.starts_with("} ")) {
            std::size_t space = rest.find(' ');
            if (space == std::string::npos) return Kind::jump;  // else, alone
            rest = rest.substr(space + 1);
        }
        if (is_rust_ && rest.starts_with('\''))
            if (std::size_t colon = rest.find(": "); colon != std::string::npos)
                rest = rest.substr(colon + 2);
        std::string word = first_word(rest);
        if (word == "for" || word == "while" || word == "do" || word == "loop") return Kind::loop;
        if (word == "if" || word == "switch" || word == "match") return Kind::choice;
        for (std::string_view jump : {"break", "continue", "goto", "case", "default", "try",
                                      "catch", "unsafe", "public", "private", "protected"})
            if (word == jump) return Kind::jump;
        if (rest == "return" || (!is_rust_ && rest.ends_with(':'))) return Kind::jump;
        for (std::string_view quiet :
             {"using", "typedef", "static_assert", "struct", "class", "enum", "union", "static",
              "extern", "use", "fn", "constexpr", "_Static_assert"})
            if (word == quiet &&
                (is_head_of_body || word != "struct" || rest.find('=') == std::string::npos))
                return Kind::declaration;
        bool does_something = rest.find_first_of("=(") != std::string::npos ||
                              rest.find("++") != std::string::npos ||
                              rest.find("--") != std::string::npos || word == "return" ||
                              word == "throw" || word == "delete" || word == "co_return";
        if (is_rust_ && word != "let") {
            std::size_t colon = rest.find(':');  // a member of a value that is made
            does_something = colon == std::string::npos || colon > rest.find_first_of("(=");
        }
        return does_something ? Kind::plain : Kind::declaration;
    }

    const std::vector<Letter>& letters_;
    const bool is_rust_, is_c_;
    std::size_t at_ = 0;
    int depth_ = 0;
    bool is_over_ = false;
    std::string text_;
    std::uint32_t first_line_ = 0, last_line_ = 0;
    bool is_under_condition_ = false;
    std::vector<SourceStatement> statements_;
    std::optional<std::size_t> done_;             // the loop whose `while` comes next
    std::vector<std::size_t> heads_;              // whose body comes next
    std::vector<std::vector<std::size_t>> open_;  // of each open brace: whose body it is
    std::vector<std::uint32_t> blocks_;           // that are open
    std::vector<std::size_t> widths_;             // how many of them each brace opened
    std::vector<std::uint32_t> awaited_;          // of heads whose body comes next
    std::uint32_t last_block_ = 0;
};

}  // namespace

std::vector<SourceStatement> statements_of_function(const std::vector<std::string>& lines,
                                                    std::uint32_t declared_line,
                                                    CodeLanguage language) {
    if (language == CodeLanguage::none) return {};
    std::vector<Letter> letters = letters_from(lines, declared_line, language);
    return StatementReader(letters, language).read();
}

}  // namespace lantern
