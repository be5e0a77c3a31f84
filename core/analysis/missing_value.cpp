#include "core/analysis/missing_value.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/recomputed_value.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

bool has_any_place(const Variable& variable) {
    return std::any_of(
        variable.locations.begin(), variable.locations.end(),
        [](const dwarf::LocationRange& location) { return !location.expression.empty(); });
}

// A statement that may run once more, as a loop that it stands in goes round.
bool comes_again(const std::vector<SourceStatement>& statements, std::size_t number,
                 std::size_t here) {
    if (here >= statements.size()) return false;
    for (const SourceStatement& loop : statements) {
        bool is_around_both = loop.kind == SourceStatement::Kind::loop &&
                              loop.first_line <= statements[number].first_line &&
                              statements[number].last_line <= loop.body_last &&
                              loop.first_line <= statements[here].first_line &&
                              statements[here].last_line <= loop.body_last;
        if (is_around_both) return true;
    }
    return false;
}

// The first statement from here on, as the source is read, that names it.
std::optional<std::size_t> next_that_names(const SourceChanges& changes, std::size_t here,
                                           const std::string& name) {
    const auto& statements = changes.statements();
    for (std::size_t i = std::min(here, statements.size()); i < statements.size(); ++i)
        if (mentions(name, statements[i])) return i;
    for (std::size_t i = 0; i < std::min(here, statements.size()); ++i)
        if (mentions(name, statements[i]) && comes_again(statements, i, here)) return i;
    return std::nullopt;
}

bool jumps_about(const SourceChanges& changes) {
    const auto& all = changes.statements();
    return std::any_of(all.begin(), all.end(), [](const SourceStatement& statement) {
        return statement.text.find("goto") != std::string::npos;
    });
}

std::string by_the_account(const Variable& variable, const Frame& frame,
                           const NearestPlaces& nearest) {
    if (!has_any_place(variable))
        return fmt::format("the compiler keeps it nowhere in all of {}",
                           frame_function_name(frame));
    if (!nearest.before && nearest.behind)
        return fmt::format("it has not begun: on no way to here has it been kept{}",
                           nearest.behind->line
                               ? fmt::format(", and from line {} on it is", nearest.behind->line)
                               : "");
    if (nearest.before && nearest.before->line)
        return fmt::format("it was {} at line {}, and what comes behind that is not kept",
                           nearest.before->place, nearest.before->line);
    return {};
}

}  // namespace

std::vector<std::string> why_nowhere(const Moment& moment, const Frame& frame,
                                     const Variable& variable, const NearestPlaces& nearest) {
    std::vector<std::string> why;
    bool is_before = !variable.is_parameter && frame.line &&
                     frame.line->file == variable.declared_in &&
                     frame.line->line <= variable.declared_line;
    if (is_before)
        return {fmt::format("it begins with line {}, and has no value before that has run",
                            variable.declared_line)};
    std::string name = escape_for_display(variable.name);
    try {
        RecomputedValues source(moment, frame);
        const SourceChanges* changes = source.changes();
        bool is_only_one = changes && source.variable_named(variable.name) == &variable;
        if (is_only_one) {
            auto next = next_that_names(*changes, source.here(), variable.name);
            auto setter = changes->setter(variable.name, source.here());
            if (!next && !jumps_about(*changes))
                why.push_back(
                    "no statement from here on names it: by the source it is not needed any more");
            if (next && setter.kind == SourceChanges::Setter::Kind::statement) {
                auto text = changes->text_of_value(variable.name, setter.statement);
                if (text)
                    why.push_back(
                        fmt::format("line {} sets it to {}: where {} is used next, in line {}, "
                                    "that may be computed instead",
                                    changes->statements()[setter.statement].first_line, *text, name,
                                    changes->statements()[*next].first_line));
            }
        }
        std::string account = by_the_account(variable, frame, nearest);
        if (!account.empty()) why.push_back(std::move(account));
    } catch (const Error&) {  // a damaged file: what is known is told
    }
    return why;
}

}  // namespace lantern
