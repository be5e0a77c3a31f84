// What stands behind a command's name: words, numbers, and the endings that say how a value is to
// be shown.
#include "cli/commands/command.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "fmt/format.h"

namespace lantern::cli {

std::string_view take_word(std::string_view& text) {
    text = trimmed(text);
    std::size_t end = text.find_first_of(" \t");
    std::string_view word = text.substr(0, end);
    text = end == std::string_view::npos ? std::string_view() : trimmed(text.substr(end));
    return word;
}

std::optional<std::uint64_t> whole_number(std::string_view text) {
    if (text.empty() || text.size() > 18 ||
        text.find_first_not_of("0123456789") != std::string_view::npos)
        return std::nullopt;
    return std::stoull(std::string(text));
}

void refuse_arguments(std::string_view arguments, std::string_view usage) {
    if (!trimmed(arguments).empty())
        throw RequestError(fmt::format("{} takes nothing more", std::string(usage)),
                           fmt::format("help {}", std::string(usage)));
}

std::vector<std::string> shell_words(std::string_view text) {
    std::vector<std::string> words;
    std::string word;
    bool inside = false;
    char quoted = 0;
    for (std::size_t i = 0; i < text.size(); ++i) {
        char c = text[i];
        if (quoted) {
            if (c == quoted)
                quoted = 0;
            else if (c == '\\' && quoted == '"' && i + 1 < text.size())
                word += text[++i];
            else
                word += c;
        } else if (c == '"' || c == '\'') {
            quoted = c;
            inside = true;
        } else if (c == '\\' && i + 1 < text.size()) {
            word += text[++i];
            inside = true;
        } else if (c == ' ' || c == '\t') {
            if (inside) words.push_back(std::move(word));
            word.clear();
            inside = false;
        } else {
            word += c;
            inside = true;
        }
    }
    if (quoted) throw RequestError(fmt::format("the closing {} is missing", quoted));
    if (inside) words.push_back(std::move(word));
    return words;
}

namespace {

Form needed_form(std::string_view word) {
    if (auto form = form_named(word)) return *form;
    auto near = nearest_names(word, form_names());
    throw RequestError(fmt::format("there is no form {}", quote(word)),
                       near.empty()
                           ? fmt::format("the forms are {}", join_with(form_names(), "and"))
                           : fmt::format("did you mean {}?", join_with(near, "or")));
}

// Takes " WORD" off the end.
bool take_last_word(std::string_view& text, std::string_view word) {
    if (text.size() <= word.size() || !text.ends_with(word) ||
        text[text.size() - word.size() - 1] != ' ')
        return false;
    text = trimmed(text.substr(0, text.size() - word.size()));
    return true;
}

// Takes " WORD VALUE" off the end.
std::optional<std::string_view> take_last_pair(std::string_view& text, std::string_view word) {
    std::size_t space = text.rfind(' ');
    if (space == std::string_view::npos) return std::nullopt;
    std::string_view value = text.substr(space + 1), before = trimmed(text.substr(0, space));
    if (value.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789") != std::string_view::npos ||
        !take_last_word(before, word))
        return std::nullopt;
    text = before;
    return value;
}

}  // namespace

Formed split_form(std::string_view text, Language language) {
    Formed result;
    text = trimmed(text);
    for (bool again = true; again;) {
        again = false;
        std::string_view before = text;
        if (take_last_word(text, "raw"))
            again = result.raw = true;
        else if (take_last_word(text, "all"))
            again = result.all = true;
        else if (auto number = take_last_pair(text, "from"); number && whole_number(*number)) {
            result.from = *whole_number(*number);
            again = true;
        } else if (auto word = take_last_pair(text, "as")) {
            if (language == Language::rust && !form_named(*word)) {
                text = before;  // a cast
                break;
            }
            result.form = needed_form(*word);
            again = true;
        } else {
            text = before;
        }
    }
    result.expression = text;
    return result;
}

}  // namespace lantern::cli
