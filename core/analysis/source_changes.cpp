#include "core/analysis/source_changes.h"

#include <algorithm>

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
    std::vector<std::size_t> found;
    if (is_lost(name)) return found;
    for (std::size_t i = 0; i < statements_.size(); ++i)
        if (touches(name)[i] == Touch::sets && text_of_value(name, i) != name) found.push_back(i);
    return found;
}

// Its address is known elsewhere, or two variables have the name.
bool SourceChanges::is_lost(const std::string& name) const {
    const std::vector<Touch>& all = touches(name);
    if (std::find(all.begin(), all.end(), Touch::loses) != all.end()) return true;
    return std::count_if(statements_.begin(), statements_.end(),
                         [&](const SourceStatement& each) { return declares(name, each); }) > 1;
}

std::optional<std::string> SourceChanges::text_of_value(const std::string& name,
                                                        std::size_t statement) const {
    if (statement >= statements_.size() || touches(name)[statement] != Touch::sets)
        return std::nullopt;
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

SourceChanges::Setter SourceChanges::setter(const std::string& name, std::size_t at) const {
    if (jumps_ || is_lost(name)) return {};
    std::vector<std::uint32_t> around;
    if (at < statements_.size()) around = statements_[at].blocks;
    for (std::size_t i = std::min(at, statements_.size()); i-- > 0;) {
        const SourceStatement& each = statements_[i];
        Touch touched = touches(name)[i];
        if (touched == Touch::none) continue;
        if (touched != Touch::sets) return {};
        bool is_on_every_way = each.blocks.size() <= around.size() &&
                               std::equal(each.blocks.begin(), each.blocks.end(), around.begin());
        bool may_be_passed_over =
            std::any_of(statements_.begin(), statements_.end(), [&](const SourceStatement& other) {
                return other.opens && !each.blocks.empty() && other.opens == each.blocks.back() &&
                       other.text.starts_with("switch");
            });
        if (!is_on_every_way || may_be_passed_over || comes_back_to(name, at, each.blocks))
            return {};
        return {Setter::Kind::statement, i};
    }
    if (comes_back_to(name, at, {})) return {};
    return {Setter::Kind::nobody, 0};
}

}  // namespace lantern
