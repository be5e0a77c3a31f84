#include "core/expressions/lexer.h"

#include <fmt/format.h>

#include <array>
#include <cctype>
#include <cerrno>
#include <cstdlib>

#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr std::array<std::string_view, 22> kPunctuation = {"<<", ">>", "<=", ">=", "==", "!=", "&&", "||", "->", "..",
                                                           "+", "-", "*", "/", "%", "(", ")", "[", "]", ".", "?", ":"};
constexpr std::string_view kSingles = "<>!~&|^=,#";

class Lexer {
  public:
    explicit Lexer(std::string_view text) : text_(text) {}

    std::vector<Token> run() {
        for (;;) {
            while (at_ < text_.size() && std::isspace(static_cast<unsigned char>(text_[at_]))) ++at_;
            Token token;
            token.column = static_cast<unsigned>(display_width(text_.substr(0, at_))) + 1;
            if (at_ >= text_.size()) {
                tokens_.push_back(token);
                return std::move(tokens_);
            }
            read(token);
            tokens_.push_back(std::move(token));
        }
    }

  private:
    static bool starts_name(char c) { return std::isalpha(static_cast<unsigned char>(c)) || c == '_'; }
    static bool continues_name(char c) { return std::isalnum(static_cast<unsigned char>(c)) || c == '_'; }
    char peek(std::size_t ahead = 0) const { return at_ + ahead < text_.size() ? text_[at_ + ahead] : '\0'; }
    [[noreturn]] void fail(unsigned column, const std::string& what) { throw ExpressionError(what, column); }

    void read(Token& token) {
        char c = peek();
        if (starts_name(c)) return read_name(token);
        if (std::isdigit(static_cast<unsigned char>(c)) || (c == '.' && std::isdigit(static_cast<unsigned char>(peek(1)))))
            return read_number(token);
        if (c == '"' || c == '\'') return read_quoted(token, c);
        if (c == '@') return read_result(token);
        token.kind = Token::Kind::punctuation;
        for (std::string_view mark : kPunctuation) {
            if (text_.substr(at_).starts_with(mark)) {
                token.text = mark;
                at_ += mark.size();
                return;
            }
        }
        if (kSingles.find(c) == std::string_view::npos)
            fail(token.column, fmt::format("{} has no meaning in an expression", quote(text_.substr(at_, 1), '\'')));
        token.text = c;
        ++at_;
    }

    void read_name(Token& token) {
        token.kind = Token::Kind::name;
        std::size_t start = at_;
        while (at_ < text_.size()) {
            if (continues_name(peek())) ++at_;
            else if (peek() == ':' && peek(1) == ':' && starts_name(peek(2))) at_ += 2;
            else break;
        }
        token.text = text_.substr(start, at_ - start);
    }

    void read_result(Token& token) {
        token.kind = Token::Kind::result;
        std::size_t start = ++at_;
        while (at_ < text_.size() && continues_name(peek())) ++at_;
        token.text = text_.substr(start, at_ - start);
    }

    void read_number(Token& token) {
        std::size_t start = at_;
        bool hex = peek() == '0' && (peek(1) == 'x' || peek(1) == 'X');
        bool binary = peek() == '0' && (peek(1) == 'b' || peek(1) == 'B');
        if (hex || binary) at_ += 2;
        bool real = false;
        while (at_ < text_.size()) {
            char c = peek();
            if (std::isdigit(static_cast<unsigned char>(c)) || (hex && std::isxdigit(static_cast<unsigned char>(c)))) {
                ++at_;
            } else if (!hex && c == '.' && peek(1) != '.') {
                real = true;
                ++at_;
            } else if (!hex && !binary && (c == 'e' || c == 'E')) {
                real = true;
                ++at_;
                if (peek() == '+' || peek() == '-') ++at_;
            } else {
                break;
            }
        }
        std::string digits(text_.substr(start, at_ - start));
        char* end = nullptr;
        if (real) {
            token.kind = Token::Kind::floating;
            token.real = std::strtold(digits.c_str(), &end);
            if (peek() == 'f' || peek() == 'F') {
                token.is_float = true;
                ++at_;
            }
        } else {
            token.kind = Token::Kind::integer;
            errno = 0;
            token.number = binary ? std::strtoull(digits.c_str() + 2, &end, 2) : std::strtoull(digits.c_str(), &end, 0);
            if (errno == ERANGE) fail(token.column, fmt::format("{} does not fit 64 bits", digits));
            for (; std::isalpha(static_cast<unsigned char>(peek())); ++at_) {
                char suffix = static_cast<char>(std::tolower(static_cast<unsigned char>(peek())));
                if (suffix == 'u') token.is_unsigned = true;
                else if (suffix == 'l') token.is_long = true;
                else break;
            }
        }
        if (*end || continues_name(peek())) fail(token.column, fmt::format("{} is not a number", quote(std::string(text_.substr(start, at_ + 1 - start)), '\'')));
        token.text = digits;
    }

    char read_escape(unsigned column) {
        char c = peek();
        ++at_;
        switch (c) {
            case 'n': return '\n';
            case 't': return '\t';
            case 'r': return '\r';
            case '0': case '1': case '2': case '3': case '4': case '5': case '6': case '7': {
                unsigned code = static_cast<unsigned>(c - '0');
                for (int i = 0; i < 2 && peek() >= '0' && peek() <= '7'; ++i, ++at_) code = code * 8 + static_cast<unsigned>(peek() - '0');
                return static_cast<char>(code);
            }
            case 'x': {
                unsigned code = 0;
                if (!std::isxdigit(static_cast<unsigned char>(peek()))) fail(column, "\\x needs digits");
                for (; std::isxdigit(static_cast<unsigned char>(peek())); ++at_)
                    code = code * 16 + static_cast<unsigned>(std::stoi(std::string(1, peek()), nullptr, 16));
                return static_cast<char>(code);
            }
            default: return c;
        }
    }

    void read_quoted(Token& token, char mark) {
        ++at_;
        while (peek() != mark) {
            if (at_ >= text_.size()) fail(token.column, fmt::format("the closing {} is missing", mark));
            char c = peek();
            ++at_;
            token.text += c == '\\' ? read_escape(token.column) : c;
        }
        ++at_;
        token.kind = mark == '"' ? Token::Kind::string : Token::Kind::character;
        if (mark == '\'') {
            if (token.text.size() != 1) fail(token.column, "a character constant holds exactly one character");
            token.number = static_cast<std::uint64_t>(static_cast<std::int64_t>(token.text[0]));
        }
    }

    std::string_view text_;
    std::size_t at_ = 0;
    std::vector<Token> tokens_;
};

}  // namespace

std::vector<Token> tokens_of(std::string_view text) {
    return Lexer(text).run();
}

}  // namespace lantern
