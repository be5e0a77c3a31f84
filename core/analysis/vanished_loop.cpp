#include "core/analysis/vanished_loop.h"

#include <algorithm>

#include "core/analysis/statement_parts.h"

namespace lantern {
namespace {

constexpr unsigned kDeepestMade = 4;  // variables that were made of one another

class VanishedLoopSearch {
  public:
    VanishedLoopSearch(const Frame& frame, const SourceChanges& changes)
        : frame_(frame), changes_(changes), statements_(changes.statements()) {}

    std::optional<VanishedLoop> behind(const std::string& name, std::size_t here,
                                       unsigned depth) const {
        SourceChanges::Setter setter = changes_.setter(name, here);
        if (setter.kind == SourceChanges::Setter::Kind::statement)
            return in_what_it_is_made_of(name, setter.statement, depth);
        for (std::size_t i = std::min(here, statements_.size()); i-- > 0;) {
            const SourceStatement& loop = statements_[i];
            bool is_passed = loop.kind == SourceStatement::Kind::loop && ends_before(i, here) &&
                             is_around(loop, here);
            std::vector<std::size_t> setting =
                is_passed ? setting_in(i, name) : std::vector<std::size_t>();
            bool is_gone =
                !setting.empty() &&
                std::all_of(setting.begin(), setting.end(), [&](std::size_t each) {
                    return has_no_code(statements_[each].first_line, statements_[each].last_line);
                });
            if (is_gone)
                return VanishedLoop{loop.first_line, has_no_code(loop.first_line, loop.body_last),
                                    depth == 0, std::move(setting)};
        }
        return std::nullopt;
    }

  private:
    std::optional<VanishedLoop> in_what_it_is_made_of(const std::string& name,
                                                      std::size_t statement, unsigned depth) const {
        auto text = changes_.text_of_value(name, statement);
        if (!text || depth == kDeepestMade) return std::nullopt;
        for (const std::string& part : names_in(*text))
            if (auto loop = behind(part, statement, depth + 1)) return loop;
        return std::nullopt;
    }

    bool ends_before(std::size_t loop, std::size_t here) const {
        return here >= statements_.size() ||
               statements_[loop].body_last < statements_[here].first_line;
    }

    // Control has come past it, whatever way it took.
    bool is_around(const SourceStatement& loop, std::size_t here) const {
        if (here >= statements_.size()) return loop.blocks.size() <= 1;
        const auto& inner = statements_[here].blocks;
        return loop.blocks.size() <= inner.size() &&
               std::equal(loop.blocks.begin(), loop.blocks.end(), inner.begin());
    }

    std::vector<std::size_t> setting_in(std::size_t loop, const std::string& name) const {
        std::vector<std::size_t> setting;
        for (std::size_t i = loop;
             i < statements_.size() && statements_[i].first_line <= statements_[loop].body_last;
             ++i)
            if (changes_.may_set(name, i)) setting.push_back(i);
        return setting;
    }

    bool has_no_code(std::uint32_t first, std::uint32_t last) const {
        const Scope* outermost = frame_.scopes.empty() ? nullptr : frame_.scopes.back();
        const Scope* own = outermost && outermost->inlined ? outermost : nullptr;
        const auto& all = frame_.module->symbols().positions_of(*frame_.function).all();
        return std::none_of(all.begin(), all.end(), [&](const CodePosition& position) {
            return position.inlined == own && position.file &&
                   *position.file == frame_.line->file && position.line >= first &&
                   position.line <= last && position.end != position.address;
        });
    }

    const Frame& frame_;
    const SourceChanges& changes_;
    const std::vector<SourceStatement>& statements_;
};

}  // namespace

std::optional<VanishedLoop> vanished_loop_behind(const Frame& frame, const SourceChanges& changes,
                                                 std::size_t here, const std::string& name) {
    if (!frame.module || !frame.function || !frame.line) return std::nullopt;
    return VanishedLoopSearch(frame, changes).behind(name, here, 0);
}

}  // namespace lantern
