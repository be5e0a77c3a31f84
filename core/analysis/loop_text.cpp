#include "core/analysis/loop_text.h"

#include <algorithm>
#include <cstdlib>
#include <string_view>

#include "core/support/text.h"

namespace lantern {
namespace {

bool is_digit(char c) {
    return c >= '0' && c <= '9';
}
std::string word_at(const std::string& text, std::size_t begin) {
    std::size_t end = begin;
    while (end < text.size() && is_word_letter(text[end])) ++end;
    return text.substr(begin, end - begin);
}

bool names_word(const std::string& text, const std::string& word) {
    for (std::size_t at = text.find(word); at != std::string::npos; at = text.find(word, at + 1))
        if ((at == 0 || !is_word_letter(text[at - 1])) && word_at(text, at) == word) return true;
    return false;
}

}  // namespace

std::uint64_t source_step(const std::string& head) {
    if (!head.starts_with("for ") && !head.starts_with("for(")) return 0;
    if (head.find("..") != std::string::npos)
        return head.find("step_by") == std::string::npos ? 1 : 0;
    std::size_t last = head.rfind(';');
    if (last == std::string::npos) return 0;
    std::string step = head.substr(last);
    bool by_one = step.find("++") != std::string::npos || step.find("--") != std::string::npos;
    if (by_one) return step.find(',') == std::string::npos ? 1 : 0;
    for (std::string_view op : {"+= ", "-= "})
        if (std::size_t at = step.find(op); at != std::string::npos)
            return std::strtoull(step.c_str() + at + op.size(), nullptr, 0);
    return 0;
}

std::string loop_variable(const std::string& head) {
    std::size_t end = head.find(" in ");
    if (end == std::string::npos || head.find(';') != std::string::npos) {
        end = head.find_last_of("+-");
        std::size_t last = head.rfind(';');
        if (end == std::string::npos || last == std::string::npos || end < last) return {};
        // `++i` or `i++`, `i += 2`
        std::size_t behind = head.find_first_not_of("+-= ", end);
        bool is_before =
            behind != std::string::npos && !is_digit(head[behind]) && is_word_letter(head[behind]);
        if (is_before) return word_at(head, behind);
        end = head.find_last_not_of("+-= ", end) + 1;
    }
    std::size_t begin = end;
    while (begin > 0 && is_word_letter(head[begin - 1])) --begin;
    return head.substr(begin, end - begin);
}

IndexMoves moves_of(const std::string& index, const std::string& variable) {
    IndexMoves moves = IndexMoves::not_at_all;
    for (std::size_t begin = 0; begin <= index.size();) {
        std::size_t end = std::min(index.find_first_of("+-", begin), index.size());
        std::string part(trimmed(std::string_view(index).substr(begin, end - begin)));
        if (names_word(part, variable)) {
            if (part != variable || moves != IndexMoves::not_at_all) return IndexMoves::otherwise;
            moves = IndexMoves::with_it;
        }
        begin = end + 1;
    }
    return moves;
}

bool is_set_in(const std::string& body, const std::string& variable) {
    for (std::size_t at = body.find(variable); at != std::string::npos;
         at = body.find(variable, at + 1)) {
        bool is_it = (at == 0 || !is_word_letter(body[at - 1])) && word_at(body, at) == variable;
        if (!is_it) continue;
        std::string_view behind = trimmed(std::string_view(body).substr(at + variable.size()));
        bool sets = behind.starts_with("++") || behind.starts_with("--") ||
                    (behind.starts_with('=') && !behind.starts_with("==")) ||
                    (behind.size() > 1 && behind[1] == '=' &&
                     std::string_view("+-*/|&^%").find(behind[0]) != std::string_view::npos);
        std::string_view before = std::string_view(body).substr(0, at);
        if (sets || before.ends_with('&') || before.ends_with("++") || before.ends_with("--"))
            return true;
    }
    return false;
}

std::size_t path_before(const std::string& text, std::size_t end) {
    std::size_t begin = end;
    while (begin > 0) {
        char c = text[begin - 1];
        bool is_arrow = c == '>' && begin > 1 && text[begin - 2] == '-';
        if (!is_word_letter(c) && c != '.' && !is_arrow) break;
        begin -= is_arrow ? 2 : 1;
    }
    bool follows_more =
        begin > 0 && (text[begin - 1] == ')' || text[begin - 1] == ']' || text[begin - 1] == ':');
    return begin == end || follows_more ? std::string::npos : begin;
}

}  // namespace lantern
