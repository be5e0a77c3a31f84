#include "core/expressions/macro_expansion.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <utility>

#include "core/expressions/syntax.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr std::size_t kMostTokens = 20'000;
constexpr unsigned kMostMacrosOpen = 100;

bool is_mark(const Token& token, std::string_view mark) {
    return token.kind == Token::Kind::punctuation && token.text == mark;
}

class Expansion {
  public:
    explicit Expansion(const NameJudge& names) : names_(names) {}

    std::vector<Token> run(const std::vector<Token>& tokens, std::set<std::string>& open) {
        std::vector<Token> out;
        for (std::size_t at = 0; at < tokens.size(); ++at) {
            const Token& token = tokens[at];
            auto macro = token.kind == Token::Kind::name && !open.count(token.text)
                             ? names_.macro(token.text)
                             : std::nullopt;
            bool is_call = macro && at + 1 < tokens.size() && is_mark(tokens[at + 1], "(");
            if (!macro || (macro->takes_arguments && !is_call)) {
                out.push_back(token);
                continue;
            }
            std::vector<std::vector<Token>> arguments;
            if (macro->takes_arguments) at = read_arguments(tokens, at + 1, *macro, arguments);
            std::vector<Token> body = replaced(*macro, arguments, token, open);
            if (open.size() > kMostMacrosOpen)
                throw ExpressionError(
                    fmt::format("{} is a macro of macros without end", macro->name), token.column);
            open.insert(macro->name);
            for (Token& each : run(body, open)) out.push_back(std::move(each));
            open.erase(macro->name);
            require_short(out, *macro, token);
        }
        return out;
    }

  private:
    static void require_short(const std::vector<Token>& tokens, const Macro& macro,
                              const Token& use) {
        if (tokens.size() > kMostTokens)
            throw ExpressionError(fmt::format("what {} stands for is too long", macro.name),
                                  use.column);
    }

    // The number of the closing bracket.
    static std::size_t read_arguments(const std::vector<Token>& tokens, std::size_t open_bracket,
                                      const Macro& macro,
                                      std::vector<std::vector<Token>>& arguments) {
        int depth = 0;
        std::vector<Token> one;
        std::size_t at = open_bracket + 1;
        for (; at < tokens.size() && tokens[at].kind != Token::Kind::end; ++at) {
            if (depth == 0 && is_mark(tokens[at], ")")) break;
            if (is_mark(tokens[at], "(")) ++depth;
            if (is_mark(tokens[at], ")")) --depth;
            bool all_given = macro.is_variadic && arguments.size() + 1 >= macro.parameters.size();
            if (depth == 0 && is_mark(tokens[at], ",") && !all_given) {
                arguments.push_back(std::exchange(one, {}));
                continue;
            }
            one.push_back(tokens[at]);
        }
        if (at >= tokens.size() || !is_mark(tokens[at], ")"))
            throw ExpressionError(fmt::format("the arguments of {} are not closed", macro.name),
                                  tokens[open_bracket].column, "a ')' is missing");
        if (!one.empty() || !arguments.empty() || !macro.parameters.empty())
            arguments.push_back(std::move(one));
        bool fits = arguments.size() == macro.parameters.size() ||
                    (macro.is_variadic && arguments.size() + 1 >= macro.parameters.size());
        if (!fits)
            throw ExpressionError(
                fmt::format(
                    "the macro {} takes {}, and {} given", macro.name,
                    counted(macro.parameters.size(), "argument"),
                    arguments.size() == 1 ? "1 is" : fmt::format("{} are", arguments.size())),
                tokens[open_bracket].column);
        return at;
    }

    std::vector<Token> replaced(const Macro& macro,
                                const std::vector<std::vector<Token>>& arguments, const Token& use,
                                std::set<std::string>& open) {
        std::vector<Token> body, out;
        bool pastes = macro.body.find('#') != std::string::npos;
        try {
            if (pastes) throw ExpressionError("it makes names or texts of its arguments", 1);
            body = tokens_of(macro.body);
        } catch (const ExpressionError& error) {
            throw ExpressionError(
                fmt::format("{} is a macro that is not computed: {}", macro.name, error.what()),
                use.column,
                fmt::format("it stands for {}", macro.body.empty() ? "nothing" : macro.body));
        }
        body.pop_back();  // the end
        if (body.empty())
            throw ExpressionError(fmt::format("{} is a macro that stands for nothing", macro.name),
                                  use.column);
        for (Token& token : body) {
            auto found = token.kind == Token::Kind::name
                             ? std::ranges::find(macro.parameters, token.text)
                             : macro.parameters.end();
            if (found == macro.parameters.end()) {
                out.push_back(std::move(token));
            } else if (auto number = static_cast<std::size_t>(found - macro.parameters.begin());
                       number < arguments.size()) {
                for (Token& each : run(arguments[number], open)) out.push_back(std::move(each));
            }
            require_short(out, macro, use);
        }
        for (Token& token : out) token.column = use.column;
        return out;
    }

    const NameJudge& names_;
};

}  // namespace

std::optional<Macro> parse_macro(std::string_view definition) {
    Macro macro;
    std::size_t end = definition.find_first_of(" (");
    macro.name = definition.substr(0, end);
    if (macro.name.empty()) return std::nullopt;
    if (end == std::string_view::npos) return macro;
    if (definition[end] == ' ') {
        macro.body = trimmed(definition.substr(end));
        return macro;
    }
    std::size_t close = definition.find(')', end);
    if (close == std::string_view::npos) return std::nullopt;
    macro.takes_arguments = true;
    std::string_view parameters = definition.substr(end + 1, close - end - 1);
    while (!trimmed(parameters).empty()) {
        std::size_t comma = parameters.find(',');
        std::string name(trimmed(parameters.substr(0, comma)));
        macro.is_variadic = name.ends_with("...");
        if (name == "...")
            name = "__VA_ARGS__";
        else if (macro.is_variadic)
            name.erase(name.size() - 3);
        macro.parameters.push_back(name);
        parameters =
            comma == std::string_view::npos ? std::string_view() : parameters.substr(comma + 1);
    }
    macro.body = trimmed(definition.substr(close + 1));
    return macro;
}

std::vector<Token> without_macros(std::vector<Token> tokens, const NameJudge& names) {
    std::set<std::string> open;
    return Expansion(names).run(tokens, open);
}

}  // namespace lantern
