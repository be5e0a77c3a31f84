#include "core/analysis/source_assignment.h"

#include <algorithm>
#include <cctype>
#include <cstdlib>

#include "core/analysis/source_report.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

// Where the word stands by itself from there on; npos: nowhere.
std::size_t word_in(const std::string& text, const std::string& word, std::size_t from) {
    for (std::size_t at = from; (at = text.find(word, at)) != std::string::npos; ++at) {
        bool begins = at == 0 || !is_word_letter(text[at - 1]);
        bool ends = at + word.size() == text.size() || !is_word_letter(text[at + word.size()]);
        if (begins && ends) return at;
    }
    return std::string::npos;
}

bool is_number(const std::string& word, std::uint64_t value) {
    if (word == "NULL" || word == "nullptr") return value == 0;
    if (word.empty() || !std::isdigit(static_cast<unsigned char>(word[0]))) return false;
    char* end = nullptr;
    std::uint64_t number = std::strtoull(word.c_str(), &end, 0);
    return number == value && std::string_view(end).find_first_not_of("uUlL") == std::string::npos;
}

// Whether the number is all that stands between two marks, or one arm of a choice: not an argument
// of a call, nor a part of a sum. `text` begins behind the `=`.
bool is_all_of(const std::string& text, std::uint64_t value) {
    constexpr std::string_view kBefore = "=?:)", kBehind = ":;,";
    int depth = 0;
    char before = '=';  // the last mark
    for (std::size_t i = 0; i < text.size();) {
        char c = text[i];
        if (is_word_letter(c)) {
            std::size_t end = i;
            while (end < text.size() && is_word_letter(text[end])) ++end;
            std::size_t next = text.find_first_not_of(' ', end);
            char behind = next == std::string::npos ? ';' : text[next];
            bool stands_alone = depth == 0 && kBefore.find(before) != std::string_view::npos &&
                                kBehind.find(behind) != std::string_view::npos;
            if (stands_alone && is_number(text.substr(i, end - i), value)) return true;
            before = 'a';
            i = end;
            continue;
        }
        if (c == ';' && depth == 0) return false;
        if (c == '(' || c == '[' || c == '{') ++depth;
        if (c == ')' || c == ']' || c == '}') --depth;
        if (c != ' ') before = c;
        ++i;
    }
    return false;
}

}  // namespace

// A variable that is called so, and not a member of that name.
bool assigns_number(const std::string& line, const std::string& name, std::uint64_t value) {
    for (std::size_t at = 0; (at = word_in(line, name, at)) != std::string::npos; ++at) {
        if (at > 0 && (line[at - 1] == '.' || line[at - 1] == '>')) continue;
        std::size_t equals = line.find_first_not_of(' ', at + name.size());
        bool is_assignment = equals != std::string::npos && line[equals] == '=' &&
                             line.compare(equals, 2, "==") != 0;
        if (is_assignment && is_all_of(line.substr(equals + 1), value)) return true;
    }
    return false;
}

std::optional<std::uint32_t> line_that_assigns(const Moment& moment, const Frame& frame,
                                               const std::string& name, std::uint64_t value) {
    auto own =
        frame.function && frame.line ? lines_of(frame, frame.function->ranges) : std::nullopt;
    if (!own) return std::nullopt;
    std::uint32_t first = std::min(own->first, frame.function->declared_line);
    std::optional<std::uint32_t> found;
    try {
        SourceReport source = report_source(moment, frame.line->file, first, frame.line->line);
        for (const auto& row : source.rows) {
            if (!assigns_number(row.text, name, value)) continue;
            if (found) return std::nullopt;
            found = row.number;
        }
    } catch (const Error&) {  // its source is not here
    }
    return found;
}

}  // namespace lantern
