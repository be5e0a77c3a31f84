#include "core/expressions/lexer.h"

#include <fmt/format.h>

#include <cctype>
#include <cerrno>
#include <cstdlib>

#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr std::string_view kPunctuation[] = {
    "<<=", ">>=", "..=", "->*", "<<", ">>", "<=", ">=", "==", "!=", "&&", "||", "->",
    "..",  "::",  ".*",  "++",  "--", "+=", "-=", "*=", "/=", "%=", "&=", "|=", "^=",
    "+",   "-",   "*",   "/",   "%",  "(",  ")",  "[",  "]",  ".",  "?",  ":"};
constexpr std::string_view kSingles = "<>!~&|^=,#{}";

class Lexer {
  public:
    explicit Lexer(std::string_view text) : text_(text) {}

    std::vector<Token> run() {
        for (;;) {
            while (at_ < text_.size() && std::isspace(static_cast<unsigned char>(text_[at_])))
                ++at_;
            Token token;
            token.column = static_cast<unsigned>(display_width(text_.substr(0, at_))) + 1;
            if (at_ >= text_.size()) {
                tokens_.push_back(token);
                return std::move(tokens_);
            }
            token.begin = at_;
            read(token);
            token.end = at_;
            tokens_.push_back(std::move(token));
        }
    }

  private:
    static bool starts_name(char c) {
        return std::isalpha(static_cast<unsigned char>(c)) || c == '_';
    }
    static bool continues_name(char c) {
        return std::isalnum(static_cast<unsigned char>(c)) || c == '_';
    }
    char peek(std::size_t ahead = 0) const {
        return at_ + ahead < text_.size() ? text_[at_ + ahead] : '\0';
    }
    [[noreturn]] void fail(unsigned column, const std::string& what) {
        throw ExpressionError(what, column);
    }

    void read(Token& token) {
        char c = peek();
        if (read_prefixed(token)) return;
        if (starts_name(c)) return read_name(token);
        bool after_dot =
            !tokens_.empty() && tokens_.back().text == "." && tokens_.back().end == at_;
        if (after_dot && std::isdigit(static_cast<unsigned char>(c)))
            return read_field_number(token);
        // both.0 is a field; a number that starts with a dot stands where nothing does
        bool is_field = !tokens_.empty() && tokens_.back().end == at_ &&
                        (tokens_.back().kind == Token::Kind::name || tokens_.back().text == ")" ||
                         tokens_.back().text == "]");
        if (std::isdigit(static_cast<unsigned char>(c)) ||
            (c == '.' && !is_field && std::isdigit(static_cast<unsigned char>(peek(1)))))
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
            fail(token.column, fmt::format("{} has no meaning in an expression",
                                           quote(text_.substr(at_, 1), '\'')));
        token.text = c;
        ++at_;
    }

    void read_name(Token& token) {
        token.kind = Token::Kind::name;
        std::size_t start = at_;
        while (at_ < text_.size()) {
            if (continues_name(peek()))
                ++at_;
            else if (peek() == ':' && peek(1) == ':' && starts_name(peek(2)))
                at_ += 2;
            else
                break;
        }
        token.text = text_.substr(start, at_ - start);
    }

    void read_result(Token& token) {
        token.kind = Token::Kind::result;
        std::size_t start = ++at_;
        while (at_ < text_.size() && continues_name(peek())) ++at_;
        token.text = text_.substr(start, at_ - start);
    }

    // L"…", u8"…", u'…', b'…'
    bool read_prefixed(Token& token) {
        for (std::string_view prefix : {"u8", "L", "u", "U", "b"}) {
            char mark = peek(prefix.size());
            if (!text_.substr(at_).starts_with(prefix) || (mark != '"' && mark != '\'')) continue;
            at_ += prefix.size();
            token.prefix = prefix;
            read_quoted(token, mark);
            return true;
        }
        return false;
    }

    // tuple.0.1 are two fields, not a fraction
    void read_field_number(Token& token) {
        token.kind = Token::Kind::name;
        std::size_t start = at_;
        while (std::isdigit(static_cast<unsigned char>(peek()))) ++at_;
        token.text = text_.substr(start, at_ - start);
    }

    void read_number(Token& token) {
        std::size_t start = at_;
        bool hex = peek() == '0' && (peek(1) == 'x' || peek(1) == 'X');
        bool binary = peek() == '0' && (peek(1) == 'b' || peek(1) == 'B');
        bool octal = peek() == '0' && peek(1) == 'o';  // Rust's
        if (hex || binary || octal) at_ += 2;
        bool real = false;
        std::string digits = hex ? "0x" : "";
        while (at_ < text_.size()) {
            char c = peek();
            bool separates =
                (c == '\'' || c == '_') && std::isalnum(static_cast<unsigned char>(peek(1)));
            if (separates) {
                ++at_;
            } else if (std::isdigit(static_cast<unsigned char>(c)) ||
                       (hex && std::isxdigit(static_cast<unsigned char>(c)))) {
                digits += c;
                ++at_;
            } else if (!binary && !octal && c == '.' && peek(1) != '.' && !real) {
                real = true;
                digits += c;
                ++at_;
            } else if (!binary && !octal && (hex ? c == 'p' || c == 'P' : c == 'e' || c == 'E')) {
                real = true;
                digits += c;
                ++at_;
                if (peek() == '+' || peek() == '-') digits += text_[at_++];
            } else {
                break;
            }
        }
        read_suffix(token, real);
        char* end = nullptr;
        if (real) {
            token.kind = Token::Kind::floating;
            token.real =
                token.is_float      ? static_cast<long double>(std::strtof(digits.c_str(), &end))
                : token.is_extended ? std::strtold(digits.c_str(), &end)
                                    : static_cast<long double>(std::strtod(digits.c_str(), &end));
        } else {
            token.kind = Token::Kind::integer;
            errno = 0;
            token.number = std::strtoull(digits.c_str(), &end, binary ? 2 : octal ? 8 : 0);
            if (errno == ERANGE) fail(token.column, fmt::format("{} does not fit 64 bits", digits));
            token.real = static_cast<long double>(token.number);
        }
        bool wrong = digits.empty() || digits == "0x" || *end || continues_name(peek());
        if (wrong)
            fail(token.column,
                 fmt::format("{} is not a number",
                             quote(std::string(text_.substr(start, at_ + 1 - start)), '\'')));
        token.text = text_.substr(start, at_ - start);
    }

    // u, l, ll, f of C; u8 … usize, f32, f64 of Rust
    void read_suffix(Token& token, bool& real) {
        if (peek() == '_') ++at_;
        for (std::string_view word : {"i8", "i16", "i32", "i64", "i128", "isize", "u8", "u16",
                                      "u32", "u64", "u128", "usize", "f32", "f64"}) {
            if (!text_.substr(at_).starts_with(word) || continues_name(peek(word.size()))) continue;
            token.suffix = word;
            at_ += word.size();
            if (word[0] == 'f') real = true;
            return;
        }
        for (; std::isalpha(static_cast<unsigned char>(peek())); ++at_) {
            char suffix = static_cast<char>(std::tolower(static_cast<unsigned char>(peek())));
            if (suffix == 'u' && !real)
                token.is_unsigned = true;
            else if (suffix == 'l' && real)
                token.is_extended = true;
            else if (suffix == 'l')
                ++token.longs;
            else if (suffix == 'f' && real)
                token.is_float = true;
            else
                break;
        }
    }

    // \u00e4, \U0001f6a2 and Rust's \u{e4}, as UTF-8
    std::string read_code_point(unsigned column, unsigned digits) {
        bool braced = peek() == '{';
        if (braced) ++at_;
        std::uint32_t code = 0;
        unsigned count = 0;
        for (; std::isxdigit(static_cast<unsigned char>(peek())) && count < (braced ? 6 : digits);
             ++at_, ++count)
            code = code * 16 +
                   static_cast<std::uint32_t>(std::stoi(std::string(1, peek()), nullptr, 16));
        if (count == 0 || (braced && peek() != '}') || code > 0x10ffff)
            fail(column, "\\u needs the number of a character");
        if (braced) ++at_;
        std::string text;
        append_utf8(text, code);
        return text;
    }

    char read_escape(unsigned column) {
        char c = peek();
        ++at_;
        switch (c) {
            case 'a': return '\a';
            case 'b': return '\b';
            case 'f': return '\f';
            case 'v': return '\v';
            case 'n': return '\n';
            case 't': return '\t';
            case 'r': return '\r';
            case '0':
            case '1':
            case '2':
            case '3':
            case '4':
            case '5':
            case '6':
            case '7': {
                unsigned code = static_cast<unsigned>(c - '0');
                for (int i = 0; i < 2 && peek() >= '0' && peek() <= '7'; ++i, ++at_)
                    code = code * 8 + static_cast<unsigned>(peek() - '0');
                return static_cast<char>(code);
            }
            case 'x': {
                unsigned code = 0;
                if (!std::isxdigit(static_cast<unsigned char>(peek())))
                    fail(column, "\\x needs digits");
                for (; std::isxdigit(static_cast<unsigned char>(peek())); ++at_)
                    code = code * 16 +
                           static_cast<unsigned>(std::stoi(std::string(1, peek()), nullptr, 16));
                return static_cast<char>(code);
            }
            default: return c;
        }
    }

    void read_quoted(Token& token, char mark) {
        ++at_;
        while (peek() != mark) {
            if (at_ >= text_.size())
                fail(token.column, fmt::format("the closing {} is missing", mark));
            char c = peek();
            ++at_;
            if (c == '\\' && (peek() == 'u' || peek() == 'U')) {
                unsigned digits = peek() == 'u' ? 4 : 8;
                ++at_;
                token.text += read_code_point(token.column, digits);
            } else {
                token.text += c == '\\' ? read_escape(token.column) : c;
            }
        }
        ++at_;
        token.kind = mark == '"' ? Token::Kind::string : Token::Kind::character;
        if (mark == '\'') {
            if ((display_width(token.text) != 1 && token.text.size() != 1) || token.text.size() > 4)
                fail(token.column, "a character constant holds exactly one character");
            token.number = code_of(token.text);
        }
    }

    // The number of the one character in UTF-8; a single byte is a char, which is signed here.
    static std::uint64_t code_of(const std::string& text) {
        if (text.size() == 1) return static_cast<std::uint64_t>(static_cast<std::int64_t>(text[0]));
        std::string_view rest = text;
        return take_code_point(rest);
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
