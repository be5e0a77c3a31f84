#include "core/analysis/source_changes.h"

#include <algorithm>
#include <string_view>

namespace lantern {

using Touch = SourceTouch;

SourceChanges::SourceChanges(std::vector<SourceStatement> statements, CodeLanguage language,
                             const std::function<bool(const std::string&)>& is_function)
    : statements_(std::move(statements)), language_(language) {
    std::map<std::string, bool> known;  // each name is asked for once
    auto is_known_function = [&](const std::string& name) {
        auto [found, is_new] = known.try_emplace(name);
        if (is_new) found->second = is_function(name);
        return found->second;
    };
    for (SourceStatement& statement : statements_) {
        std::vector<std::string> calls = calls_in(statement, language_);
        bool is_macro = !std::all_of(calls.begin(), calls.end(), is_known_function);
        may_do_anything_.push_back(is_macro);
        // A macro before a block is a loop, for all that is known.
        if (is_macro && statement.opens) statement.kind = SourceStatement::Kind::loop;
        const std::string& text = statement.text;
        jumps_ |= mentions("goto", statement) || mentions("setjmp", statement);
        bool captures_all =
            language_ == CodeLanguage::cplusplus &&
            (text.find("[&]") != std::string::npos || text.find("[&,") != std::string::npos);
        jumps_ |= captures_all;
    }
}

std::optional<std::size_t> SourceChanges::statement_at(std::uint32_t line) const {
    std::optional<std::size_t> found;
    bool is_behind_all = true;
    for (std::size_t i = 0; i < statements_.size(); ++i) {
        const SourceStatement& each = statements_[i];
        is_behind_all &= line > std::max(each.last_line, each.body_last);
        if (line < each.first_line || line > each.last_line) continue;
        if (found) return std::nullopt;
        found = i;
    }
    if (found) return found;
    return is_behind_all && !statements_.empty() ? std::optional(statements_.size()) : std::nullopt;
}

std::optional<std::size_t> SourceChanges::head_at(std::uint32_t line) const {
    std::optional<std::size_t> head;
    for (std::size_t i = 0; i < statements_.size(); ++i) {
        const SourceStatement& each = statements_[i];
        if (line < each.first_line || line > each.last_line) continue;
        const Blocks& blocks = each.blocks;
        bool is_inside =
            head && std::ranges::find(blocks, statements_[*head].opens) != blocks.end();
        if (head && !is_inside) return std::nullopt;
        if (!head && !each.opens) return std::nullopt;
        if (!head) head = i;
    }
    return head;
}

std::optional<std::size_t> SourceChanges::last_of_block_at(std::uint32_t line) const {
    std::uint32_t block = 0;
    for (const SourceStatement& each : statements_)
        if (each.opens && each.first_line < line && line <= each.body_last) block = each.opens;
    std::optional<std::size_t> last;
    for (std::size_t i = 0; block && i < statements_.size(); ++i) {
        const SourceStatement& each = statements_[i];
        if (each.blocks.empty() || each.blocks.back() != block) continue;
        if (std::max(each.last_line, each.body_last) >= line) return std::nullopt;
        last = i;
    }
    return last && !statements_[*last].opens ? last : std::nullopt;
}

const std::vector<Touch>& SourceChanges::touches(const std::string& name) const {
    auto [known, is_new] = touches_.try_emplace(name);
    if (is_new)
        for (std::size_t i = 0; i < statements_.size(); ++i) {
            Touch touch = touch_of(name, statements_[i], language_);
            bool is_unsure = may_do_anything_[i] || statements_[i].is_under_condition;
            bool is_changed = may_do_anything_[i] || touch != Touch::none;
            known->second.push_back(is_unsure && is_changed ? std::max(touch, Touch::may_set)
                                                            : touch);
        }
    return known->second;
}

bool SourceChanges::may_set(const std::string& name, std::size_t statement) const {
    return statement < statements_.size() && touches(name)[statement] != Touch::none;
}

std::vector<std::size_t> SourceChanges::all_that_set(const std::string& name) const {
    return is_lost(name) ? std::vector<std::size_t>() : statements_that_set(name);
}

std::vector<std::size_t> SourceChanges::statements_that_set(const std::string& name) const {
    std::vector<std::size_t> found;
    if (is_of_two(name)) return found;
    for (std::size_t i = 0; i < statements_.size(); ++i)
        if (touches(name)[i] == Touch::sets && text_of_value(name, i) != name) found.push_back(i);
    return found;
}

// Its address is known elsewhere, or two variables have the name.
bool SourceChanges::is_lost(const std::string& name) const {
    return std::ranges::count(touches(name), Touch::loses) > 0 || is_of_two(name);
}

bool SourceChanges::is_of_two(const std::string& name) const {
    return std::count_if(statements_.begin(), statements_.end(),
                         [&](const SourceStatement& each) { return declares(name, each); }) > 1;
}

bool SourceChanges::is_declared(const std::string& name) const {
    return std::ranges::any_of(statements_,
                               [&](const SourceStatement& each) { return declares(name, each); });
}

std::optional<std::string> SourceChanges::text_of_value(const std::string& name,
                                                        std::size_t statement,
                                                        std::size_t member) const {
    if (statement >= statements_.size() || touches(name)[statement] != Touch::sets)
        return std::nullopt;
    if (makes_all_members(name, statements_[statement]))
        return member == kNoMember ? std::nullopt
                                   : member_made_by(name, member, statements_[statement]);
    return value_set_by(name, statements_[statement]);
}

// Whether a loop around the statement, that is none of `but`, leads back to it past one that may
// set the name.
bool SourceChanges::comes_back_to(const std::string& name, std::size_t at,
                                  const std::vector<std::uint32_t>& but) const {
    if (at >= statements_.size()) return false;
    std::vector<std::uint32_t> around = statements_[at].blocks;
    if (statements_[at].kind == SourceStatement::Kind::loop)
        around.push_back(statements_[at].opens);
    for (const SourceStatement& loop : statements_) {
        if (loop.kind != SourceStatement::Kind::loop || !loop.opens) continue;
        auto contains = [&](const std::vector<std::uint32_t>& blocks) {
            return std::find(blocks.begin(), blocks.end(), loop.opens) != blocks.end();
        };
        if (!contains(around) || contains(but)) continue;
        for (std::size_t i = 0; i < statements_.size(); ++i)
            if ((contains(statements_[i].blocks) || &statements_[i] == &loop) && may_set(name, i))
                return true;
    }
    return false;
}

std::optional<std::size_t> SourceChanges::head_of(std::uint32_t block) const {
    for (std::size_t i = 0; i < statements_.size(); ++i)
        if (statements_[i].opens == block) return i;
    return std::nullopt;
}

// The `if` that the head is one of the ways of; nothing where it is no such way.
std::optional<std::size_t> SourceChanges::choice_of(std::size_t head) const {
    for (std::size_t i = head + 1; i-- > 0;) {
        const SourceStatement& each = statements_[i];
        if (each.blocks != statements_[head].blocks || !each.opens) {
            bool is_inside = each.blocks.size() > statements_[head].blocks.size();
            if (!is_inside) return std::nullopt;
            continue;
        }
        std::string word = each.text.substr(0, each.text.find_first_of(" ("));
        if (word == "if") return i;
        if (word != "else") return std::nullopt;
    }
    return std::nullopt;
}

// It stands in one of several cases, and control may have come in behind it.
bool SourceChanges::may_be_passed_over(const SourceStatement& statement) const {
    auto head = statement.blocks.empty() ? std::nullopt : head_of(statement.blocks.back());
    return head &&
           (statements_[*head].text.starts_with("switch") || mentions("match", statements_[*head]));
}

// Of the statements from `first` up to `behind`, that one runs last that sets it where the blocks
// `around` run to there. Kind nobody: none of them does.
SourceChanges::Setter SourceChanges::last_between(const std::string& name, std::size_t first,
                                                  std::size_t behind, const Blocks& around) const {
    for (std::size_t i = behind; i-- > first;) {
        const SourceStatement& each = statements_[i];
        if (touches(name)[i] == Touch::none) continue;
        auto parted =
            std::mismatch(each.blocks.begin(), each.blocks.end(), around.begin(), around.end());
        if (parted.first == each.blocks.end()) {  // it is on every way to there
            bool sets = touches(name)[i] == Touch::sets && !may_be_passed_over(each);
            return sets ? Setter{Setter::Kind::statement, i} : Setter{};
        }
        auto head = head_of(*parted.first);
        auto choice = head ? choice_of(*head) : std::nullopt;
        if (!choice || may_be_passed_over(statements_[*choice])) return {};
        auto own = parted.second == around.end() ? std::nullopt : head_of(*parted.second);
        bool is_of_another_way = own && choice_of(*own) == choice;
        if (is_of_another_way) continue;
        return {Setter::Kind::choice, *choice};
    }
    return {Setter::Kind::nobody, 0};
}

SourceChanges::Setter SourceChanges::setter(const std::string& name, std::size_t at) const {
    if (jumps_ || is_lost(name)) return {};
    at = std::min(at, statements_.size());
    Blocks around = at < statements_.size() ? statements_[at].blocks : Blocks();
    Setter last = last_between(name, 0, at, around);
    bool is_found = last.kind == Setter::Kind::statement || last.kind == Setter::Kind::choice;
    if (comes_back_to(name, at, is_found ? statements_[last.statement].blocks : Blocks()))
        return {};
    return last;
}

bool SourceChanges::leads_away(std::uint32_t block) const {
    return std::any_of(statements_.begin(), statements_.end(), [&](const SourceStatement& each) {
        if (each.blocks.empty() || each.blocks.back() != block) return false;
        std::string word = each.text.substr(0, each.text.find_first_of(" (;"));
        for (std::string_view away : {"return", "break", "continue", "throw", "abort", "exit"})
            if (word == away) return true;
        return false;
    });
}

std::vector<SourceChanges::Way> SourceChanges::ways_of(std::size_t choice) const {
    std::vector<Way> ways;
    const Blocks& blocks = statements_[choice].blocks;
    for (std::size_t i = choice; i < statements_.size(); ++i) {
        const SourceStatement& each = statements_[i];
        if (each.blocks.size() > blocks.size()) continue;  // in one of the ways
        if (each.blocks != blocks || (i != choice && !each.text.starts_with("else"))) break;
        auto condition = condition_of(each, language_);
        if (!condition || each.is_under_condition) return {};
        ways.push_back({i, *condition, leads_away(each.opens)});
        if (condition->empty()) break;
    }
    return ways;
}

SourceChanges::Setter SourceChanges::setter_on(const std::string& name, const Way& way) const {
    Blocks around = statements_[way.head].blocks;
    around.push_back(statements_[way.head].opens);
    std::size_t behind = way.head + 1;
    while (behind < statements_.size() && statements_[behind].blocks.size() >= around.size() &&
           std::equal(around.begin(), around.end(), statements_[behind].blocks.begin()))
        ++behind;
    return last_between(name, way.head + 1, behind, around);
}

// Inside of one way of a choice its own condition held, and those of the ways before it did not.
void SourceChanges::add_decisions_around(std::size_t head, std::vector<Decision>& decisions) const {
    auto choice = choice_of(head);
    if (!choice) return;
    for (const Way& way : ways_of(*choice)) {
        bool is_own = way.head == head;
        if (!way.condition.empty()) decisions.push_back({way.head, way.condition, is_own});
        if (is_own) return;
    }
}

std::vector<SourceChanges::Decision> SourceChanges::decisions_before(const std::string& name,
                                                                     std::size_t at) const {
    std::vector<Decision> decisions;
    if (jumps_ || is_lost(name) || at >= statements_.size()) return decisions;
    if (comes_back_to(name, at, statements_[at].blocks)) return decisions;  // it is a loop's head
    const Blocks& around = statements_[at].blocks;
    for (std::size_t i = at; i-- > 0;) {
        const SourceStatement& each = statements_[i];
        bool is_jump = each.kind == SourceStatement::Kind::jump;  // one word: no macro
        if (!is_jump && may_set(name, i)) return decisions;
        bool is_around = each.opens && std::ranges::find(around, each.opens) != around.end();
        bool comes_again = is_around && each.kind == SourceStatement::Kind::loop &&
                           comes_back_to(name, at, each.blocks);
        if (comes_again) return decisions;
        if (is_around) add_decisions_around(i, decisions);
        bool is_on_every_way = each.blocks.size() <= around.size() &&
                               std::equal(each.blocks.begin(), each.blocks.end(), around.begin());
        if (is_around || !is_on_every_way || may_be_passed_over(each) || choice_of(i) != i)
            continue;
        std::vector<Way> ways = ways_of(i);
        bool is_known = std::ranges::any_of(
            decisions, [&](const Decision& decision) { return decision.head == i; });
        if (!ways.empty() && ways[0].leads_away && !is_known)
            decisions.push_back({i, ways[0].condition, false});
    }
    return decisions;
}

}  // namespace lantern
