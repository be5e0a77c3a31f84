#include "core/analysis/contradicted.h"

#include <algorithm>
#include <cctype>

#include "core/analysis/statement_parts.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

// The text between its parentheses, when they are around all of it.
std::string_view inside_of(std::string_view text) {
    text = trimmed(text);
    while (text.size() >= 2 && text.front() == '(') {
        int depth = 0;
        std::size_t end = 0;
        for (; end < text.size(); ++end) {
            depth += text[end] == '(' ? 1 : text[end] == ')' ? -1 : 0;
            if (depth == 0) break;
        }
        if (end + 1 != text.size()) break;
        text = trimmed(text.substr(1, text.size() - 2));
    }
    return text;
}

bool has_outside(std::string_view text, std::string_view sign) {
    int depth = 0;
    for (std::size_t i = 0; i < text.size(); ++i) {
        depth += text[i] == '(' ? 1 : text[i] == ')' ? -1 : 0;
        if (depth == 0 && text.substr(i).starts_with(sign)) return true;
    }
    return false;
}

// The variable, numbers and signs: nothing is read through it, and nothing is called.
bool is_of_it_alone(const std::string& condition, const std::string& name) {
    if (names_in(condition) != std::vector<std::string>{name}) return false;
    for (std::size_t i = 0; i < condition.size(); ++i) {
        bool is_call =
            condition[i] == '(' && i > 0 &&
            (std::isalnum(static_cast<unsigned char>(condition[i - 1])) || condition[i - 1] == '_');
        if (is_call ||
            std::string_view("*&[]\"'.?=").find(condition[i]) != std::string_view::npos) {
            bool is_comparison =
                condition[i] == '=' && i > 0 && i + 1 < condition.size() &&
                (condition[i + 1] == '=' ||
                 std::string_view("=!<>").find(condition[i - 1]) != std::string_view::npos);
            if (!is_comparison) return false;
        }
    }
    return condition.find("->") == std::string::npos;
}

bool asks_about(const std::string& condition, const std::string& name) {
    for (bool held : {true, false})
        for (const std::string& part : parts_decided(condition, held))
            if (is_of_it_alone(part, name)) return true;
    return false;
}

// What it comes to is only known when it runs.
bool calls_or_reads(const std::string& text) {
    return text.find('(') != std::string::npos || text.find("->") != std::string::npos ||
           text.find('[') != std::string::npos || text.find('*') != std::string::npos;
}

bool is_set_at_run_time_only(const SourceChanges& changes, const std::string& name) {
    std::vector<std::size_t> setters = changes.all_that_set(name);
    return !setters.empty() && std::ranges::all_of(setters, [&](std::size_t setter) {
        auto text = changes.text_of_value(name, setter);
        return text && calls_or_reads(*text);
    });
}

bool is_asked_by_a_loop(const SourceChanges& changes, const std::string& name) {
    return std::ranges::any_of(changes.statements(), [&](const SourceStatement& each) {
        if (each.kind != SourceStatement::Kind::loop) return false;
        std::vector<std::string> names = names_in(each.text);
        return std::ranges::find(names, name) != names.end();
    });
}

}  // namespace

std::optional<std::uint32_t> condition_it_is_of(const SourceChanges& changes, std::size_t here,
                                                const std::string& name) {
    if (!is_set_at_run_time_only(changes, name) || is_asked_by_a_loop(changes, name))
        return std::nullopt;
    for (const SourceChanges::Decision& decision : changes.decisions_before(name, here))
        if (asks_about(decision.condition, name)) return std::nullopt;
    const auto& statements = changes.statements();
    for (std::size_t i = std::min(here, statements.size()); i-- > 0;) {
        if (statements[i].kind != SourceStatement::Kind::choice) continue;
        for (const SourceChanges::Way& way : changes.ways_of(i))
            if (asks_about(way.condition, name)) return statements[way.head].first_line;
    }
    return std::nullopt;
}

std::vector<std::string> parts_decided(const std::string& condition, bool held) {
    std::string_view whole = inside_of(condition);
    std::string_view parting = held ? "&&" : "||", other = held ? "||" : "&&";
    if (!has_outside(whole, parting) || (held && has_outside(whole, other)))
        return {std::string(whole)};
    std::vector<std::string> parts;
    int depth = 0;
    std::size_t begin = 0;
    for (std::size_t i = 0; i <= whole.size(); ++i) {
        if (i < whole.size()) depth += whole[i] == '(' ? 1 : whole[i] == ')' ? -1 : 0;
        bool is_end = i == whole.size() || (depth == 0 && whole.substr(i).starts_with(parting));
        if (!is_end) continue;
        for (std::string& part : parts_decided(std::string(whole.substr(begin, i - begin)), held))
            parts.push_back(std::move(part));
        begin = i + parting.size();
    }
    return parts;
}

std::optional<std::uint32_t> contradicting_condition(const Moment& moment, const Frame& frame,
                                                     const SourceChanges& changes, std::size_t here,
                                                     const std::string& name) {
    try {
        EvaluationContext context = context_in(moment, frame);
        for (const SourceChanges::Decision& decision : changes.decisions_before(name, here))
            for (const std::string& part : parts_decided(decision.condition, decision.held))
                if (is_of_it_alone(part, name) &&
                    Expression(part, context).truth(context) != decision.held)
                    return changes.statements()[decision.head].first_line;
    } catch (const Error&) {  // it is nothing that can be computed here
    }
    return std::nullopt;
}

}  // namespace lantern
