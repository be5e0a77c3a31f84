#include "core/comparison/line_history.h"

#include "core/comparison/walk_value.h"

namespace lantern {
namespace {

// Known, and not by a doubtful account.
bool is_sure(const ValueView& view) {
    return view.unavailable.empty() && view.broken.empty() && view.doubt.empty() &&
           !is_unset(view.assignment) && view.assignment != Assignment::on_some_paths;
}

}  // namespace

void LineHistory::add(const LocalsReport& locals) {
    ++steps_;
    file_ = locals.file;
    for (const ValueView& each : locals.variables) {
        if (!is_sure(each) || each.is_shadowed || each.has_children()) continue;
        std::string value = without_addresses(each.text);
        auto& held = variables_[each.name];
        if (held.empty() || held.back().value != value)
            held.push_back({value, locals.line, steps_});
    }
    last_ = locals;
}

std::optional<LinePart> where_lines_part(const std::array<LineHistory, 2>& histories) {
    std::optional<LinePart> part;
    std::size_t earliest = ~std::size_t{0};
    for (const auto& [name, held] : histories[1].variables()) {
        auto other = histories[0].variables().find(name);
        if (other == histories[0].variables().end()) continue;
        std::size_t at = 0;
        for (const LineHistory::Held& each : held) {
            std::size_t found = at;
            while (found < other->second.size() && other->second[found].value != each.value)
                ++found;
            if (found < other->second.size()) {
                at = found;
                continue;
            }
            if (each.step >= earliest) break;
            earliest = each.step;
            const LineHistory::Held& instead =
                other->second[std::min(at + 1, other->second.size() - 1)];
            part = LinePart{
                name, {instead.value, each.value}, {instead.line, each.line}, histories[0].file()};
            break;
        }
    }
    return part;
}

}  // namespace lantern
