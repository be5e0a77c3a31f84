#include "core/analysis/asserted.h"

#include <algorithm>
#include <cctype>
#include <string_view>

#include "core/support/text.h"

namespace lantern {
namespace {

// The length of the operator that parts two operands here, outside of any brackets; 0: there is
// none.
std::size_t parting_operator(std::string_view text) {
    for (std::string_view each : {"&&", "||", "==", "!=", "<=", ">="})
        if (text.starts_with(each)) return each.size();
    return text[0] == '<' || text[0] == '>' ? 1 : 0;
}

bool is_shift(std::string_view text) {
    return text.starts_with("<<") || text.starts_with(">>");
}

// "(n > 0)" and "!n" are of n.
std::string_view without_brackets(std::string_view text) {
    text = trimmed(text);
    while (text.starts_with('!')) text = trimmed(text.substr(1));
    if (!text.starts_with('(') || !text.ends_with(')')) return text;
    int depth = 0;
    for (std::size_t at = 0; at + 1 < text.size(); ++at) {
        depth += text[at] == '(' ? 1 : text[at] == ')' ? -1 : 0;
        if (depth == 0) return text;  // the first bracket is closed before the end
    }
    return without_brackets(text.substr(1, text.size() - 2));
}

void add_operands(std::string_view text, std::vector<std::string>& operands) {
    text = without_brackets(text);
    int depth = 0;
    std::size_t begin = 0;
    bool is_parted = false;
    for (std::size_t at = 0; at < text.size(); ++at) {
        if (text[at] == '(' || text[at] == '[') ++depth;
        if (text[at] == ')' || text[at] == ']') --depth;
        if (is_shift(text.substr(at))) {
            ++at;
            continue;
        }
        bool is_arrow = text[at] == '>' && at && text[at - 1] == '-';
        std::size_t parts = depth || is_arrow ? 0 : parting_operator(text.substr(at));
        if (!parts) continue;
        is_parted = true;
        add_operands(text.substr(begin, at - begin), operands);
        at += parts - 1;
        begin = at + 1;
    }
    if (is_parted) return add_operands(text.substr(begin), operands);
    bool has_name = std::ranges::any_of(
        text, [](char c) { return std::isalpha(static_cast<unsigned char>(c)) || c == '_'; });
    bool is_constant = !text.empty() && (std::isdigit(static_cast<unsigned char>(text[0])) ||
                                         text[0] == '"' || text[0] == '\'');
    std::string operand(text);
    if (has_name && !is_constant && std::ranges::find(operands, operand) == operands.end())
        operands.push_back(std::move(operand));
}

}  // namespace

// As the GNU C library quotes it; others write it otherwise, and nothing is told then.
std::string asserted_condition(const std::string& message) {
    std::size_t begin = message.find("ssertion `");
    std::size_t end = message.rfind("' failed");
    if (begin == std::string::npos || end == std::string::npos) return {};
    begin += std::string_view("ssertion `").size();
    return begin < end ? message.substr(begin, end - begin) : "";
}

std::vector<std::string> operands_of_condition(const std::string& condition) {
    std::vector<std::string> operands;
    if (!condition.empty()) add_operands(condition, operands);
    return operands;
}

}  // namespace lantern
