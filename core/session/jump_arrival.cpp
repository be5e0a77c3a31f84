#include "core/session/jump_arrival.h"

#include <algorithm>

#include "core/support/text.h"
#include "core/symbols/module_symbols.h"

namespace lantern {

std::string JumpArrival::word_at(const CodePosition& position) const {
    const SourceText* text = position.file ? sources_.find(*position.file) : nullptr;
    if (!text || position.line == 0 || position.line > text->lines.size()) return {};
    // Of a source that was changed since, the line may say anything.
    auto state =
        sources_.state(*position.file, std::nullopt, positions_.symbols().elf().modified_at());
    if (state != SourceState::good) return {};
    std::string_view line = text->lines[position.line - 1];
    bool has_column = position.column > 0 && position.column <= line.size();
    line = has_column ? line.substr(position.column - 1u) : trimmed(line);
    auto end = std::ranges::find_if_not(line, is_word_letter);
    return std::string(line.begin(), end);
}

bool JumpArrival::leads_away(const CodePosition& position) const {
    std::string word = word_at(position);
    return word == "break" || word == "continue" || word == "goto";
}

bool JumpArrival::returns(const CodePosition& position) const {
    return word_at(position) == "return";
}

std::uint16_t JumpArrival::first_met(FileAddress from, FileAddress to) const {
    const JumpedPast::Jump* jump = past_.jump(from, to);
    if (!jump || jump->certain == jump->first) return jump ? jump->first : 0;
    const CodePosition& last = positions_.at(to)[jump->certain];
    if (leads_away(last)) return jump->first;
    // A return of the same call leads to no other one.
    auto before = positions_.in_force(from);
    bool is_other_return = before && before->inlined == last.inlined && before->line != last.line &&
                           returns(*before) && returns(last);
    return is_other_return ? jump->first : jump->certain;
}

CodePosition JumpArrival::as_met(CodePosition position, FileAddress from) const {
    const JumpedPast::Jump* jump = past_.jump(from, position.address);
    if (jump && position.order < jump->first)
        position.row = positions_.at(position.address)[jump->first].row;
    return position;
}

}  // namespace lantern
