// Names of types as a programmer says them (see type.h).
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <vector>

#include "core/support/text.h"
#include "core/symbols/names.h"
#include "core/symbols/type.h"

namespace lantern {
namespace {

constexpr int kDeepestName = 60;

constexpr std::string_view kInnerNamespaces[] = {
    "__cxx11::", "__1::", "__debug::", "__cxx1998::", "_V2::", "__fs::"};

// A namespace counts where its name begins, not in the middle of another.
void erase_namespace(std::string& text, std::string_view name) {
    for (std::size_t at = 0; (at = text.find(name, at)) != std::string::npos;) {
        if (at > 0 && is_word_letter(text[at - 1]))
            at += name.size();
        else
            text.erase(at, name.size());
    }
}

void erase_inner_namespaces(std::string& name) {
    for (std::string_view inner : kInnerNamespaces) erase_namespace(name, inner);
}

// The arguments between the brackets of `text`, cut at the commas that are not inside brackets of
// their own.
std::vector<std::string_view> split_arguments(std::string_view text) {
    std::vector<std::string_view> parts;
    int depth = 0;
    std::size_t start = 0;
    for (std::size_t i = 0; i < text.size(); ++i) {
        char c = text[i];
        if (c == '<' || c == '(' || c == '[' || c == '{') ++depth;
        bool closes =
            (c == '>' && (i == 0 || text[i - 1] != '-')) || c == ')' || c == ']' || c == '}';
        if (closes && depth > 0) --depth;
        if (c == ',' && depth == 0) {
            parts.push_back(trimmed(text.substr(start, i - start)));
            start = i + 1;
        }
    }
    parts.push_back(trimmed(text.substr(start)));
    return parts;
}

// Where the bracket that opens at `open` closes; npos if it does not.
std::size_t closing(std::string_view text, std::size_t open) {
    int depth = 0;
    for (std::size_t i = open; i < text.size(); ++i) {
        if (text[i] == '<') ++depth;
        if (text[i] == '>' && text[i - 1] != '-' && --depth == 0) return i;
    }
    return std::string_view::npos;
}

bool is_default_argument(std::string_view family, std::string_view argument) {
    if (argument.starts_with("alloc::alloc::Global") ||
        argument.starts_with("std::hash::random::RandomState") ||
        argument.starts_with("std::collections::hash::map::RandomState"))
        return true;
    if (!family.starts_with("std::")) return false;
    for (std::string_view start : {"std::allocator<", "std::char_traits<", "std::less<",
                                   "std::hash<", "std::equal_to<", "std::default_delete<"})
        if (argument.starts_with(start)) return true;
    if (family == "std::stack" || family == "std::queue")
        return argument.starts_with("std::deque<");
    return family == "std::priority_queue" && argument.starts_with("std::vector<");
}

// The word that stands before a bracket: "std::vector" of "const std::vector".
std::string_view word_before(std::string_view text) {
    std::size_t start = text.find_last_of(" ,<(*&");
    return start == std::string_view::npos ? text : text.substr(start + 1);
}

std::string text_family(std::string_view family, std::string_view character) {
    bool view = family == "std::basic_string_view";
    if (family != "std::basic_string" && !view) return {};
    constexpr std::pair<std::string_view, std::string_view> kLetters[] = {{"char", ""},
                                                                          {"wchar_t", "w"},
                                                                          {"char8_t", "u8"},
                                                                          {"char16_t", "u16"},
                                                                          {"char32_t", "u32"}};
    for (auto [name, letter] : kLetters)
        if (character == name)
            return "std::" + std::string(letter) + (view ? "string_view" : "string");
    return {};
}

std::string without_defaults(std::string_view text, int depth) {
    std::string out;
    while (!text.empty()) {
        std::size_t open = text.find('<');
        std::size_t close = open == std::string_view::npos || depth > kDeepestName
                                ? std::string_view::npos
                                : closing(text, open);
        // "<impl Toll for Narrow>" and "operator<" have no word before the bracket.
        if (close == std::string_view::npos || open == 0) return out.append(text);
        out.append(text.substr(0, open));
        std::string family(word_before(out));
        std::vector<std::string_view> arguments =
            split_arguments(text.substr(open + 1, close - open - 1));
        while (arguments.size() > 1 && is_default_argument(family, arguments.back()))
            arguments.pop_back();
        if (std::string named = arguments.size() == 1 ? text_family(family, arguments[0]) : "";
            !named.empty()) {
            out.replace(out.size() - family.size(), family.size(), named);
        } else {
            std::string inside;
            for (std::string_view argument : arguments)
                inside += (inside.empty() ? "" : ", ") + without_defaults(argument, depth + 1);
            out += "<" + inside + ">";
        }
        text.remove_prefix(close + 1);
    }
    return out;
}

// Rust's own library is known by its last names: "Vec<i32>", not where it lies in the crates.
std::string without_library_paths(std::string_view text) {
    std::string out;
    for (std::size_t i = 0; i < text.size();) {
        bool starts_word =
            i == 0 || std::string_view(" ,<(&*[").find(text[i - 1]) != std::string_view::npos;
        bool library =
            starts_word &&
            (text.substr(i).starts_with("alloc::") || text.substr(i).starts_with("core::") ||
             text.substr(i).starts_with("std::") || text.substr(i).starts_with("hashbrown::"));
        if (library) {
            std::size_t end = text.find_first_of(" ,<>()&*[]", i);
            std::size_t last = text.substr(0, end).rfind("::");
            i = last + 2;
            out.append(text.substr(i, end == std::string_view::npos ? end : end - i));
            if (end == std::string_view::npos) break;
            i = end;
        }
        out += text[i++];
    }
    return out;
}

}  // namespace

std::string readable_type_name(std::string_view full_name, bool is_rust) {
    std::string name(full_name);
    erase_inner_namespaces(name);
    name = without_defaults(name, 0);
    return is_rust ? without_library_paths(name) : name;
}

std::string comparable_type_name(std::string_view full_name, bool is_rust) {
    std::string name = readable_type_name(full_name, is_rust), out;
    constexpr std::string_view kNameless = "(anonymous namespace)";
    for (std::size_t at; (at = name.find(kNameless)) != std::string::npos;)
        name.replace(at, kNameless.size(), "(anonymous)");
    for (std::size_t i = 0; i < name.size(); ++i) {
        bool in_number = !out.empty() && std::isdigit(static_cast<unsigned char>(out.back()));
        if (in_number && std::string_view("uUlL").find(name[i]) != std::string_view::npos) {
            std::size_t digits = out.find_last_not_of("0123456789");
            bool number = digits == std::string::npos || !is_word_letter(out[digits]);
            std::size_t end = name.find_first_not_of("uUlL", i);
            if (number && (end == std::string::npos || !is_word_letter(name[end]))) {
                i = std::min(end, name.size()) - 1;
                continue;
            }
        }
        if (name[i] != ' ') out += name[i];
    }
    return out;
}

namespace {

// The words of C's numbers may come in any order, and some may be left out.
struct NumberWords {
    bool is_unsigned = false, is_signed = false, is_short = false, is_double = false,
         is_char = false, has_any = false;
    int longs = 0;

    bool take(std::string_view word) {
        bool is_known = true;
        if (word == "unsigned")
            is_unsigned = true;
        else if (word == "signed")
            is_signed = true;
        else if (word == "short")
            is_short = true;
        else if (word == "double")
            is_double = true;
        else if (word == "char")
            is_char = true;
        else if (word == "long")
            ++longs;
        else if (word != "int")
            is_known = false;
        has_any |= is_known;
        return is_known;
    }

    std::string text() const {
        if (is_double) return longs ? "longdouble" : "double";
        if (is_char) return is_unsigned ? "unsignedchar" : is_signed ? "signedchar" : "char";
        std::string size = is_short ? "short" : longs > 1 ? "longlong" : longs ? "long" : "int";
        return (is_unsigned ? "unsigned" : "") + size;
    }
};

// The words of `text` that are not inside of brackets.
std::vector<std::string_view> words_of(std::string_view text) {
    std::vector<std::string_view> words;
    int depth = 0;
    std::size_t start = 0;
    for (std::size_t i = 0; i <= text.size(); ++i) {
        bool ends = i == text.size() || (text[i] == ' ' && depth == 0);
        if (ends && i > start) words.push_back(text.substr(start, i - start));
        if (ends) start = i + 1;
        if (i == text.size()) break;
        if (text[i] == '<' || text[i] == '(') ++depth;
        if ((text[i] == '>' || text[i] == ')') && depth > 0) --depth;
    }
    return words;
}

std::string comparable_parameter(std::string_view text, int depth);

std::string comparable_list(std::string_view text, int depth) {
    std::string out;
    for (std::string_view each : split_arguments(text))
        if (each != "...") out += (out.empty() ? "" : ",") + comparable_parameter(each, depth + 1);
    return out;
}

// "vector<long unsigned int>" with its arguments compared too.
std::string comparable_name(std::string_view name, int depth) {
    std::size_t open = name.find('<');
    std::size_t close = open == std::string_view::npos || depth > kDeepestName
                            ? std::string_view::npos
                            : closing(name, open);
    if (close == std::string_view::npos) return without_spaces(name);
    return fmt::format("{}<{}>{}", without_spaces(name.substr(0, open)),
                       comparable_list(name.substr(open + 1, close - open - 1), depth),
                       comparable_name(name.substr(close + 1), depth + 1));
}

// "*const", "(*)(char const*)": what stands behind the name.
std::string comparable_rest(std::string_view rest, int depth) {
    std::size_t open = rest.rfind('(');
    bool takes_some = open != std::string_view::npos && open > 0 && rest.back() == ')';
    if (!takes_some || depth > kDeepestName) return without_spaces(rest);
    std::string_view taken = rest.substr(open + 1, rest.size() - open - 2);
    return without_spaces(rest.substr(0, open)) + "(" + comparable_list(taken, depth) + ")";
}

std::string comparable_parameter(std::string_view text, int depth) {
    std::size_t end = 0;
    for (int inside = 0; end < text.size(); ++end) {
        char c = text[end];
        if (inside == 0 && (c == '*' || c == '&' || c == '[' || c == '(')) break;
        if (c == '<') ++inside;
        if (c == '>' && inside > 0) --inside;
    }
    // "(anonymous namespace)::Lock" begins with a bracket that is part of a name.
    if (text.starts_with("(anonymous")) end = text.find_first_of("*&[");
    std::string name;
    NumberWords number;
    bool is_const = false, is_volatile = false;
    for (std::string_view word : words_of(text.substr(0, end))) {
        if (word == "const")
            is_const = true;
        else if (word == "volatile")
            is_volatile = true;
        else if (!number.take(word) && word != "struct" && word != "class" && word != "enum" &&
                 word != "union")
            name += (name.empty() ? "" : " ") + std::string(word);
    }
    std::string rest =
        end < text.size() ? comparable_rest(trimmed(text.substr(end)), depth) : std::string();
    // What a parameter is within its function is no matter of who calls it.
    if (rest.ends_with("*const")) rest.resize(rest.size() - std::string_view("const").size());
    bool shows_const = is_const && (!rest.empty() || depth > 0);
    std::string base = number.has_any && name.empty()
                           ? number.text()
                           : comparable_name(readable_type_name(name, false), depth);
    return (shows_const ? "const " : "") + std::string(is_volatile ? "volatile " : "") + base +
           rest;
}

}  // namespace

std::string comparable_parameters(std::string_view between_brackets) {
    std::string_view text = trimmed(between_brackets);
    return text.empty() || text == "void" ? "" : comparable_list(text, -1);
}

std::string family_name(std::string_view full_name) {
    std::string name = without_all_template_arguments(full_name);
    erase_inner_namespaces(name);
    return name;
}

}  // namespace lantern
