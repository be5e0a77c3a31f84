#include "core/analysis/code_shape.h"

#include <algorithm>
#include <cctype>

#include "core/support/text.h"

namespace lantern {
namespace {

constexpr std::string_view kOfC[] = {
    "_Alignas",       "_Alignof",      "_Atomic", "_Bool",  "_Complex", "_Generic", "_Noreturn",
    "_Static_assert", "_Thread_local", "auto",    "break",  "case",     "char",     "const",
    "continue",       "default",       "do",      "double", "else",     "enum",     "extern",
    "float",          "for",           "goto",    "if",     "inline",   "int",      "long",
    "register",       "restrict",      "return",  "short",  "signed",   "sizeof",   "static",
    "struct",         "switch",        "typedef", "union",  "unsigned", "void",     "volatile",
    "while"};

constexpr std::string_view kAddedByCpp[] = {
    "alignas",      "alignof",       "and",         "bool",      "catch",
    "class",        "co_await",      "co_return",   "co_yield",  "concept",
    "const_cast",   "consteval",     "constexpr",   "constinit", "decltype",
    "delete",       "dynamic_cast",  "explicit",    "export",    "false",
    "final",        "friend",        "mutable",     "namespace", "new",
    "noexcept",     "not",           "nullptr",     "operator",  "or",
    "override",     "private",       "protected",   "public",    "reinterpret_cast",
    "requires",     "static_assert", "static_cast", "template",  "this",
    "thread_local", "throw",         "true",        "try",       "typeid",
    "typename",     "using",         "virtual",     "wchar_t"};

constexpr std::string_view kOfRust[] = {
    "Self",   "as",    "async", "await",  "bool", "break", "char",   "const", "continue", "crate",
    "dyn",    "else",  "enum",  "extern", "f32",  "f64",   "false",  "fn",    "for",      "i128",
    "i16",    "i32",   "i64",   "i8",     "if",   "impl",  "in",     "isize", "let",      "loop",
    "match",  "mod",   "move",  "mut",    "pub",  "ref",   "return", "self",  "static",   "str",
    "struct", "super", "trait", "true",   "type", "u128",  "u16",    "u32",   "u64",      "u8",
    "unsafe", "use",   "usize", "where",  "while"};

bool is_keyword(std::string_view word, CodeLanguage language) {
    if (language == CodeLanguage::rust) return std::ranges::binary_search(kOfRust, word);
    return std::ranges::binary_search(kOfC, word) ||
           (language == CodeLanguage::cplusplus && std::ranges::binary_search(kAddedByCpp, word));
}

}  // namespace

CodeLanguage code_language(std::string_view path) {
    std::size_t dot = path.rfind('.');
    std::string_view ending =
        dot == std::string_view::npos ? std::string_view() : path.substr(dot + 1);
    if (ending == "rs") return CodeLanguage::rust;
    if (ending == "c") return CodeLanguage::c;
    for (std::string_view cpp :
         {"cpp", "cc", "cxx", "c++", "C", "h", "hh", "hpp", "hxx", "ipp", "tcc", "inl"})
        if (ending == cpp) return CodeLanguage::cplusplus;
    bool is_library_header =
        dot == std::string_view::npos && path.find("/c++/") != std::string_view::npos;  // <vector>
    return is_library_header ? CodeLanguage::cplusplus : CodeLanguage::none;
}

std::vector<CodePart> CodeReader::parts(std::string_view line) {
    std::vector<CodePart> parts;
    if (language_ == CodeLanguage::none) return parts;
    bool is_rust = language_ == CodeLanguage::rust;
    std::size_t at = 0;
    auto add = [&](std::size_t end, CodeKind kind) {
        parts.push_back({at, end, kind});
        at = end;
    };
    if (comment_depth_)
        add(end_of_comment(line, 0), CodeKind::comment);
    else if (in_raw_)
        add(end_of_raw_text(line, 0), CodeKind::text);
    else if (in_text_)
        add(end_of_text(line, 0), CodeKind::text);
    bool is_first = at == 0;
    while (at < line.size()) {
        char c = line[at];
        std::string_view rest = line.substr(at);
        std::size_t raw_content = 0;
        if (rest.starts_with("//")) {
            add(line.size(), CodeKind::comment);
        } else if (rest.starts_with("/*")) {
            comment_depth_ = 1;
            add(end_of_comment(line, at + 2), CodeKind::comment);
        } else if (starts_raw_text(line, at, raw_content)) {
            in_raw_ = true;
            add(end_of_raw_text(line, raw_content), CodeKind::text);
        } else if (c == '"') {
            add(end_of_text(line, at + 1), CodeKind::text);
        } else if (c == '\'') {
            // A lifetime of Rust is no character: no second quote follows its first letter.
            std::size_t end = at + 1 < line.size() && line[at + 1] == '\\'
                                  ? line.find('\'', at + 3)
                                  : line.find('\'', at + 1);
            bool is_character = end != std::string_view::npos && (!is_rust || end - at <= 6) &&
                                !(is_rust && end > at + 2 && is_word_letter(line[at + 1]) &&
                                  static_cast<unsigned char>(line[at + 1]) < 0x80);
            if (is_character)
                add(end + 1, CodeKind::text);
            else
                ++at;
        } else if (std::isdigit(static_cast<unsigned char>(c))) {
            std::size_t end = at;
            auto goes_on = [&] {
                if (end >= line.size()) return false;
                if (line[end] == '.')
                    return !(is_rust && end + 1 < line.size() && line[end + 1] == '.');  // 0..8
                if (line[end] == '\'')
                    return !is_rust && end + 1 < line.size() &&
                           std::isxdigit(static_cast<unsigned char>(line[end + 1]));
                return is_word_letter(line[end]);
            };
            while (goes_on()) ++end;
            add(end, CodeKind::number);
        } else if (is_word_letter(c)) {
            std::size_t end = at;
            while (end < line.size() && is_word_letter(line[end])) ++end;
            if (is_keyword(line.substr(at, end - at), language_))
                add(end, CodeKind::keyword);
            else
                at = end;
        } else if (c == '#' && is_first && !is_rust) {
            std::size_t end = at + 1;
            while (end < line.size() && line[end] == ' ') ++end;
            while (end < line.size() && is_word_letter(line[end])) ++end;
            add(end, CodeKind::directive);
        } else {
            is_first = is_first && c == ' ';
            ++at;
            continue;
        }
        is_first = false;
    }
    return parts;
}

std::size_t CodeReader::end_of_comment(std::string_view line, std::size_t at) {
    for (; at < line.size(); ++at) {
        if (line.substr(at).starts_with("*/")) {
            ++at;
            if (--comment_depth_ == 0) return at + 1;
        } else if (language_ == CodeLanguage::rust && line.substr(at).starts_with("/*")) {
            ++at;
            ++comment_depth_;
        }
    }
    return line.size();
}

std::size_t CodeReader::end_of_text(std::string_view line, std::size_t at) {
    for (; at < line.size(); ++at) {
        if (line[at] == '\\')
            ++at;
        else if (line[at] == '"') {
            in_text_ = false;
            return at + 1;
        }
    }
    in_text_ = language_ == CodeLanguage::rust || line.ends_with('\\');
    return line.size();
}

// R"mark( … )mark", r#"…"#
bool CodeReader::starts_raw_text(std::string_view line, std::size_t at, std::size_t& content) {
    std::string_view rest = line.substr(at);
    if (language_ == CodeLanguage::rust) {
        if (!rest.starts_with("r\"") && !rest.starts_with("r#") && !rest.starts_with("br"))
            return false;
        std::size_t i = rest.starts_with("br") ? 2 : 1, hashes = 0;
        while (i < rest.size() && rest[i] == '#') ++i, ++hashes;
        if (i >= rest.size() || rest[i] != '"') return false;
        end_mark_ = "\"" + std::string(hashes, '#');
        content = at + i + 1;
        return true;
    }
    if (language_ != CodeLanguage::cplusplus || !rest.starts_with("R\"")) return false;
    std::size_t open = rest.find('(');
    if (open == std::string_view::npos || open > 18) return false;
    end_mark_ = ")" + std::string(rest.substr(2, open - 2)) + "\"";
    content = at + open + 1;
    return true;
}

std::size_t CodeReader::end_of_raw_text(std::string_view line, std::size_t at) {
    std::size_t end = line.find(end_mark_, at);
    in_raw_ = end == std::string_view::npos;
    return in_raw_ ? line.size() : end + end_mark_.size();
}

}  // namespace lantern
