#include "core/analysis/source_view.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/contradicted.h"
#include "core/analysis/moved_away.h"
#include "core/analysis/source_report.h"
#include "core/analysis/statement_parts.h"
#include "core/analysis/vanished_loop.h"
#include "core/expressions/evaluator.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/place_text.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

std::string ground_of(const RecomputedValue& value) {
    std::vector<std::string> decided_by = value.decided_by;
    std::sort(decided_by.begin(), decided_by.end());
    decided_by.erase(std::unique(decided_by.begin(), decided_by.end()), decided_by.end());
    std::string way =
        decided_by.empty() ? "" : "; the way was decided by " + join_with(decided_by, "and");
    if (!value.line) return "it was passed so, and nothing has set it since" + way;
    std::string with = value.with.empty() ? "" : ", with " + join_with(value.with, "and");
    return fmt::format("line {} sets it to {}{}{}", value.line, value.text, with, way);
}

}  // namespace

void SourceView::read_source() {
    if (recomputed_) return;
    recomputed_.emplace(moment_, frame_);
    const SourceChanges* order = recomputed_->is_at_brace() ? nullptr : recomputed_->changes();
    last_.emplace(moment_, frame_, order, recomputed_->here());
    if (!recomputed_->changes()) return;
    lagging_.emplace(moment_, frame_, *recomputed_->changes(), recomputed_->here());
    lagging_memory_.emplace(frame_, *recomputed_->changes(), recomputed_->here());
    recomputed_->set_doubtful([this](const std::string& name) {
        auto part = part_named(name);
        return !part || doubt_about(*part);
    });
}

std::optional<SourceView::Part> SourceView::part_named(const std::string& name) const {
    std::size_t dot = name.find('.');
    const Variable* variable = recomputed_->variable_named(name.substr(0, dot));
    const Type* type = recomputed_->type_of(name);
    if (!variable || !type) return std::nullopt;
    std::uint64_t offset = 0;
    if (dot != std::string::npos)
        for (const Member& member : plain(*variable->type).members())
            if (member.name == name.substr(dot + 1)) offset = member.offset;
    return Part{*variable, name, *type, offset};
}

std::optional<SourceView::Doubt> SourceView::doubt_about(const Part& part) {
    bool is_whole = part.name == part.variable.name;
    if (has_one_place(part.variable)) return std::nullopt;
    if (auto narrower = is_whole
                            ? narrower_value_of_variable(moment_.target(), frame_, part.variable)
                            : std::nullopt)
        return Doubt{"the compiler's account computes it with more bits than it has", narrower};
    if (!lagging_) return std::nullopt;
    auto line = lagging_->passed_over(part.variable, part.name, part.offset, plain(part.type).size);
    auto statement = line ? recomputed_->changes()->statement_at(*line) : std::nullopt;
    if (statement && would_set_the_same(part, *statement)) line.reset();
    if (line)
        return Doubt{fmt::format("perhaps of before line {}: the compiler's account does not know "
                                 "of that assignment",
                                 *line),
                     std::nullopt};
    if (auto doubt = doubt_by_conditions(part)) return doubt;
    auto loop = vanished_loop_before(part);
    if (!loop) return std::nullopt;
    return Doubt{
        fmt::format("perhaps of before the loop at line {}: what is set there has no code", *loop),
        std::nullopt};
}

// Of what is only accounted for: a register or memory is what the program works with.
std::optional<SourceView::Doubt> SourceView::doubt_by_conditions(const Part& part) const {
    if (part.name != part.variable.name || recomputed_->is_at_brace()) return std::nullopt;
    auto account =
        dwarf::expression_at(part.variable.locations, frame_.file_address(), frame_.row());
    PlaceKind kind = account ? place_kind(*account, part.variable.unit) : PlaceKind::nowhere;
    if (kind != PlaceKind::computed && kind != PlaceKind::constant) return std::nullopt;
    const SourceChanges& changes = *recomputed_->changes();
    std::size_t here = recomputed_->here();
    if (auto line = contradicting_condition(moment_, frame_, changes, here, part.name))
        return Doubt{
            fmt::format("perhaps wrong: with it the condition at line {} would not have led here",
                        *line),
            std::nullopt};
    if (kind != PlaceKind::constant || part.variable.is_parameter) return std::nullopt;
    auto line = condition_it_is_of(changes, here, part.name);
    if (!line) return std::nullopt;
    return Doubt{fmt::format("perhaps only of one way behind the condition at line {}: nothing "
                             "sets it to a constant",
                             *line),
                 std::nullopt};
}

// With what the variables hold now it comes to what is told already: `level -= level` of 0.
bool SourceView::would_set_the_same(const Part& part, std::size_t statement) const {
    auto text = recomputed_->changes()->text_of_value(part.name, statement);
    if (!text) return false;
    try {
        EvaluationContext context = context_in(moment_, frame_);
        ValueReader reader(moment_.target());
        Value set = evaluate(*text, context), told = evaluate(part.name, context);
        TypeKind kind = plain(*set.type).kind;
        bool is_whole = kind == TypeKind::integer || kind == TypeKind::boolean ||
                        kind == TypeKind::enumeration || kind == TypeKind::character;
        return is_whole && number_as(plain(part.type), reader.wide(set)) == reader.wide(told);
    } catch (const Error&) {  // one of them has no value here
        return false;
    }
}

// Of a value that is only accounted for: what stands in a register or in memory the program works
// with.
std::optional<std::uint32_t> SourceView::vanished_loop_before(const Part& part) const {
    auto account =
        dwarf::expression_at(part.variable.locations, frame_.file_address(), frame_.row());
    PlaceKind kind = account ? place_kind(*account, part.variable.unit) : PlaceKind::nowhere;
    if (kind != PlaceKind::computed && kind != PlaceKind::constant) return std::nullopt;
    const SourceChanges& changes = *recomputed_->changes();
    auto found = vanished_loop_behind(frame_, changes, recomputed_->here(), part.name);
    bool is_direct = found && found->sets_it && found->is_whole;
    if (!found || (!is_direct && kind == PlaceKind::constant)) return std::nullopt;
    bool changes_nothing =
        std::all_of(found->setting.begin(), found->setting.end(),
                    [&](std::size_t statement) { return would_set_the_same(part, statement); });
    return found->sets_it && changes_nothing ? std::nullopt : std::optional(found->line);
}

// The loop whose head runs next has begun before, whichever way led here.
bool SourceView::is_head_of_another_turn() {
    try {
        read_source();
        const SourceChanges* changes = recomputed_->changes();
        std::size_t here = recomputed_->here();
        return changes && here < changes->statements().size() &&
               changes->statements()[here].kind == SourceStatement::Kind::loop &&
               RowsBefore(frame_, *changes).has_begun(here);
    } catch (const Error&) {  // what the file says of the code is damaged
        return false;
    }
}

bool SourceView::has_begun_on_all_ways(std::uint32_t line) const {
    const SourceChanges& changes = *recomputed_->changes();
    auto statement = changes.statement_at(line);
    return statement && RowsBefore(frame_, changes).has_begun(*statement);
}

// What is damaged lies in memory: in registers it is the account that does not fit.
bool SourceView::is_damaged_in_registers(const ValueView& view, const Variable& variable) const {
    // What a `for` of Rust takes the next one from: nothing but the loop has it.
    bool is_of_for = variable.unit->is_rust() && variable.name == "iter" && frame_.function;
    if (is_of_for && looks_optimised(frame_.module->symbols().body_of(*frame_.function)))
        return !view.broken.empty();
    auto account = dwarf::expression_at(variable.locations, frame_.file_address(), frame_.row());
    PlaceKind kind = account ? place_kind(*account, variable.unit) : PlaceKind::nowhere;
    return !view.broken.empty() && kind != PlaceKind::in_memory;
}

// The place of an array or structure is there from the function's beginning on in optimised code,
// whatever lies in it: of an earlier turn of the loop, or of nothing.
void SourceView::doubt_before_declared(ValueView& view, const Variable& variable) {
    bool is_of_this_file = frame_.line && frame_.function && !variable.is_parameter &&
                           variable.declared_in == frame_.line->file;
    if (!is_of_this_file || is_unset(view.assignment) || !view.unavailable.empty()) return;
    std::uint32_t here = frame_.line->line, declared = variable.declared_line;
    bool is_below = declared > here;
    bool is_next = declared == here && line_state(moment_, frame_) == LineState::next;
    if (!is_below && !is_next) return;
    if (!looks_optimised(frame_.module->symbols().body_of(*frame_.function))) return;
    if (is_next && is_head_of_another_turn()) return;
    view.doubt = is_below ? fmt::format(
                                "perhaps not of here: it is declared further down, at line "
                                "{}",
                                declared)
                          : "perhaps not of here: the line that runs next declares it";
}

// What a `for` of Rust asks for the next one, as the compiler names it: each turn changes it.
bool SourceView::is_behind_turns_of_for(const Variable& variable, RunAddress address) {
    const SourceChanges& changes = *recomputed_->changes();
    auto head = variable.name == "iter" && variable.unit->is_rust()
                    ? changes.statement_at(variable.declared_line)
                    : std::nullopt;
    bool is_of_for =
        head && *head < changes.statements().size() && mentions("for", changes.statements()[*head]);
    auto scope = std::ranges::find_if(frame_.scopes, [&](const Scope* each) {
        return std::ranges::any_of(each->variables,
                                   [&](const Variable& its) { return &its == &variable; });
    });
    std::uint64_t size = plain(*variable.type).size;
    return is_of_for && scope != frame_.scopes.end() &&
           lagging_memory_->stays_through_turns({variable.name, address, size, 0, size}, *head,
                                                **scope);
}

void SourceView::doubt_memory_of(ValueView& view, const Part& part, RunAddress variable) {
    if (plain(part.type).kind == TypeKind::structure && view.arrangement == Arrangement::fields)
        for (const Member& member : plain(part.type).members())
            for (ValueView& child : view.children)
                if (child.name == member.name && member.type && !member.bit_size)
                    doubt_memory_of(child,
                                    {part.variable, part.name + "." + member.name, *member.type,
                                     part.offset + member.offset},
                                    variable);
    bool is_told = view.unavailable.empty() && view.doubt.empty() && !is_unset(view.assignment);
    if (!is_scalar(part.type) || !is_told) return;
    LaggingMemory::Part where{part.name, variable, plain(*part.variable.type).size, part.offset,
                              plain(part.type).size};
    auto line = lagging_memory_->passed_over(where);
    auto statement = line ? recomputed_->changes()->statement_at(*line) : std::nullopt;
    if (!line || (statement && would_set_the_same(part, *statement))) return;
    view.doubt = fmt::format(
        "perhaps of before line {}: nothing on the way from there has stored what it set{}", *line,
        what_is_stored_next(where, part.type));
}

std::string SourceView::what_is_stored_next(const LaggingMemory::Part& part, const Type& type) {
    auto number = lagging_memory_->stored_next_from(part);
    if (!number) return "";
    Value value = value_of_register(moment_.target(), moment_.thread(), frame_,
                                    {*number, static_cast<unsigned>(part.size), 0}, type);
    if (!value.is_available()) return "";
    return fmt::format("; {}, which is stored there next, holds {}", register_name(*number),
                       make_view(ValueReader(moment_.target()), part.name, value).text);
}

void SourceView::doubt_memory(ValueView& view, const Variable& variable) {
    bool is_told = view.unavailable.empty() && view.doubt.empty() && !is_unset(view.assignment);
    if (!is_told || !variable.type || !frame_.module || !frame_.function || !frame_.line) return;
    if (!looks_optimised(frame_.module->symbols().body_of(*frame_.function))) return;
    try {
        Value value = value_of_variable(moment_.target(), moment_.thread(), frame_, variable);
        if (!value.address) return;
        read_source();
        if (!lagging_memory_) return;
        if (is_behind_turns_of_for(variable, *value.address))
            view.doubt = fmt::format(
                "perhaps of before the loop at line {}: nothing in its turns has stored into it",
                variable.declared_line);
        else
            doubt_memory_of(view, {variable, variable.name, *variable.type, 0}, *value.address);
    } catch (const Error&) {  // what the file says of the code is damaged
    }
}

void SourceView::add_to_global(ValueView& view, const Variable& variable, RunAddress address) {
    bool is_told = view.unavailable.empty() && view.doubt.empty();
    if (!is_told || !variable.type || !frame_.module || !frame_.function || !frame_.line) return;
    if (!frame_.module->holds(address)) return;
    if (!looks_optimised(frame_.module->symbols().body_of(*frame_.function))) return;
    try {
        read_source();
        // A local variable that hides it where it stands has another place.
        if (lagging_memory_ && !recomputed_->changes()->is_declared(variable.name))
            doubt_memory_of(view, {variable, variable.name, *variable.type, 0}, address);
    } catch (const Error&) {  // what the file says of the code is damaged
    }
}

// `for each in crates`, where another turn begins: the list was handed over before the first one.
std::optional<std::uint32_t> SourceView::moved_away_by_loop(const Variable& variable) {
    const SourceChanges& changes = *recomputed_->changes();
    if (recomputed_->here() >= changes.statements().size()) return std::nullopt;
    const SourceStatement& head = changes.statements()[recomputed_->here()];
    bool hands = head.first_line > variable.declared_line && is_moved_by(variable, head.text);
    return hands && is_head_of_another_turn() ? std::optional(head.first_line) : std::nullopt;
}

void SourceView::doubt_moved_away(ValueView& view, const Variable& variable) {
    if (!variable.type || !view.unavailable.empty() || is_unset(view.assignment)) return;
    try {
        read_source();
        const SourceChanges* changes = recomputed_->changes();
        auto line = changes ? moved_away_at(variable, *changes, recomputed_->here()) : std::nullopt;
        if (line && recomputed_->is_at_brace() && !has_begun_on_all_ways(*line)) line.reset();
        if (!line && changes) line = moved_away_by_loop(variable);
        if (!line) return;
        view.is_moved_away = true;
        view.doubt = fmt::format(
            "moved away at line {}: what lies here belongs to another, or is freed", *line);
    } catch (const Error&) {  // what the file says of the code is damaged
    }
}

void SourceView::add_to(ValueView& view, const Variable& variable) {
    if (variable.unit->is_rust()) doubt_moved_away(view, variable);
    if (view.is_moved_away) return;
    if (!is_unset(view.assignment) && is_damaged_in_registers(view, variable)) {
        view.doubt =
            "likely not what the program has: the compiler's account of its registers does not fit";
        return;
    }
    if (has_one_place(variable)) {
        doubt_before_declared(view, variable);
        doubt_memory(view, variable);
    }
    if (has_one_place(variable) || !variable.type) return;
    if (frame_.origin == FrameOrigin::one_of_tail_calls) {
        if (view.unavailable.empty())
            view.doubt = "as it was called: the function may have changed it before it left";
        return;
    }
    if (view.unavailable.empty() && is_read_where_account_points(frame_, variable)) {
        view.doubt =
            "likely: what lies where the compiler's account points; it leaves out to read there";
        return;
    }
    try {
        read_source();
        add_to_part(view, {variable, variable.name, *variable.type, 0});
        if (!view.unavailable.empty()) add_last(view, variable);
    } catch (const Error&) {  // what the file says of the code is damaged: nothing is added
    }
}

// Of a structure that is wholly gone, in one line: {level = 4, flow = not known}.
void SourceView::add_members(ValueView& view, const Part& part) {
    std::vector<std::string> texts, grounds;
    bool is_any_known = false;
    for (const Member& member : plain(part.type).members()) {
        std::string name = part.name + "." + member.name;
        auto value = member.type && !member.bit_size ? recomputed_->of(name) : std::nullopt;
        texts.push_back(
            fmt::format("{} = {}", member.name,
                        value ? make_view(ValueReader(moment_.target()), name, value->value).text
                              : "not known"));
        if (!value) continue;
        is_any_known = true;
        grounds.push_back(fmt::format("{}: {}", member.name, ground_of(*value)));
    }
    if (!is_any_known) return;
    view.recovered = fmt::format("{{{}}}", fmt::join(texts, ", "));
    view.recovered_from = fmt::format("{}", fmt::join(grounds, "; "));
}

// The value that still lies where it was: that of here, if nothing has set it since. What the
// source says otherwise speaks against both.
void SourceView::add_last(ValueView& view, const Variable& variable) {
    auto last = last_->of(variable);
    if (!last) return;
    std::string text = make_view(ValueReader(moment_.target()), variable.name, last->value).text;
    std::vector<std::string> lines;
    for (std::uint32_t line : last->lines) lines.push_back(std::to_string(line));
    std::string of_lines = join_with(lines, "or");
    if (!last->is_current) {
        if (!view.recovered.empty()) return;
        view.last = text;
        view.last_from = fmt::format("as of line {}, still {}", of_lines, last->place);
    } else if (view.recovered.empty()) {
        view.recovered = text;
        view.recovered_from =
            fmt::format("still {}, of line {}: nothing has set it since", last->place, of_lines);
    } else if (view.recovered != text) {
        view.recovered = view.recovered_from = {};
    }
}

void SourceView::add_to_part(ValueView& view, const Part& part) {
    bool is_structure = plain(part.type).kind == TypeKind::structure;
    if (is_structure && view.arrangement == Arrangement::fields)
        for (const Member& member : plain(part.type).members())
            for (ValueView& child : view.children)
                if (child.name == member.name && member.type && !member.bit_size)
                    add_to_part(child, {part.variable, part.name + "." + member.name, *member.type,
                                        part.offset + member.offset});
    if (is_structure && !view.unavailable.empty() && view.children.empty()) add_members(view, part);
    if (!is_scalar(part.type)) return;
    ValueReader reader(moment_.target());
    bool has_value = view.unavailable.empty();
    if (auto value = recomputed_->of(part.name)) {
        view.recovered = make_view(reader, part.name, value->value).text;
        view.recovered_from = ground_of(*value);
        if (!has_value) return;
        bool both_agree = view.recovered == view.text;
        if (both_agree)
            view.recovered = view.recovered_from = {};
        else
            view.doubt = fmt::format("perhaps {}: {}", view.recovered, view.recovered_from);
        return;
    }
    auto doubt = has_value ? doubt_about(part) : std::nullopt;
    if (!doubt) return;
    view.doubt = doubt->text;
    if (!doubt->perhaps) return;
    view.recovered = make_view(reader, part.name, *doubt->perhaps).text;
    view.recovered_from = doubt->text;
    view.doubt = fmt::format("perhaps {}: {}", view.recovered, view.recovered_from);
}

}  // namespace lantern
