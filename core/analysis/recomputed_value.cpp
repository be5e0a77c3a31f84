#include "core/analysis/recomputed_value.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/source_report.h"
#include "core/dwarf/operations.h"
#include "core/expressions/scope_names.h"
#include "core/support/error.h"
#include "core/unwind/frame_context.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr std::size_t kDeepestRecomputed = 12;  // values that are computed for one another

bool is_whole_number(const Type& type) {
    TypeKind kind = plain(type).kind;
    return (kind == TypeKind::integer || kind == TypeKind::boolean ||
            kind == TypeKind::enumeration || kind == TypeKind::character) &&
           plain(type).size <= 8;
}

const Function* own_function(const Frame& frame) {
    if (!frame.module) return nullptr;
    return frame.inlined ? frame.module->symbols().function(frame.inlined->origin) : frame.function;
}

// A function of the program, or one of a library that it calls.
bool is_function(const ModuleSymbols& symbols, const std::string& name) {
    return name.starts_with("__builtin_") || !symbols.functions_named(name).empty() ||
           symbols.symbol_table().named(name);
}

// The place of a register among those that whole numbers and pointers are passed in (System V ABI
// x86-64 §3.2.3); none: it is not one of them.
std::optional<unsigned> passing_order(const Variable& parameter, FileAddress entry) {
    constexpr unsigned kInOrder[] = {5, 4, 1, 2, 8, 9};  // DWARF numbers
    auto place = dwarf::expression_at(parameter.locations, entry, 0);
    if (!place || place->size() != 1) return std::nullopt;
    unsigned number = static_cast<std::uint8_t>((*place)[0]) - dwarf::DW_OP_reg0;
    for (unsigned i = 0; i < std::size(kInOrder); ++i)
        if (kInOrder[i] == number) return i;
    return std::nullopt;
}

// Parameters come in the order of their registers. clang, which numbers no rows, says of one that
// is set at once that it begins where its new value is.
bool is_in_order(const std::vector<Variable>& variables, const Variable& parameter,
                 FileAddress entry) {
    auto own = passing_order(parameter, entry);
    bool is_before = true;
    for (const Variable& other : variables) {
        if (&other == &parameter) is_before = false;
        auto order =
            other.is_parameter && &other != &parameter ? passing_order(other, entry) : std::nullopt;
        if (order && (is_before ? *order >= *own : *order <= *own)) return false;
    }
    return true;
}

std::string base_of(const std::string& name) {
    return name.substr(0, name.find('.'));
}

// A long function is asked for at each stop in it, and its text does not change.
std::shared_ptr<const SourceChanges> changes_of(const Function& function, const SourceText& source,
                                                const ModuleSymbols& symbols) {
    std::shared_ptr<void>& kept = source.kept_with(function.declared_line, symbols);
    if (!kept) {
        CodeLanguage language = code_language(function.declared_in);
        kept = std::make_shared<SourceChanges>(
            statements_of_function(source.lines, function.declared_line, language), language,
            [&](const std::string& name) {
                return is_function(symbols, name) || source.functions().contains(name);
            });
    }
    return std::static_pointer_cast<const SourceChanges>(kept);
}

}  // namespace

bool has_one_place(const Variable& variable) {
    return variable.locations.size() == 1 && !variable.locations[0].range;
}

RecomputedValues::RecomputedValues(const Moment& moment, const Frame& frame)
    : moment_(moment), frame_(frame) {
    const Function* function = own_function(frame);
    if (!function || !frame.line || frame.scopes.empty() ||
        frame.line->file != function->declared_in)
        return;
    const SourceText* source = moment.sources().find(function->declared_in);
    if (!source || is_stale(moment, function->declared_in)) return;
    auto changes = changes_of(*function, *source, frame.module->symbols());
    has_begun_ = line_state(moment, frame) != LineState::next;
    auto here = changes->statement_at(frame.line->line);
    if (!here && !has_begun_) here = changes->head_at(frame.line->line);
    if (!here) {
        here = changes->last_of_block_at(frame.line->line);
        is_at_brace_ = has_begun_ = true;
    }
    if (!here) return;
    here_ = *here;
    read_variables(*frame.scopes.back());
    changes_ = std::move(changes);
}

void RecomputedValues::read_variables(const Scope& scope) {
    for (const Variable& variable : scope.variables) variables_[variable.name].push_back(&variable);
    for (const auto& inner : scope.inner)
        if (!inner->inlined) read_variables(*inner);
}

// The only one of that name in the function.
const Variable* RecomputedValues::variable_named(const std::string& name) const {
    auto found = variables_.find(name);
    return found != variables_.end() && found->second.size() == 1 ? found->second[0] : nullptr;
}

const Type* RecomputedValues::type_of(const std::string& name) const {
    const Variable* variable = variable_named(base_of(name));
    if (!variable || !variable->type) return nullptr;
    if (base_of(name) == name) return variable->type;
    if (plain(*variable->type).kind != TypeKind::structure) return nullptr;
    for (const Member& member : plain(*variable->type).members())
        if (member.name == name.substr(base_of(name).size() + 1) && !member.bit_size)
            return member.type;
    return nullptr;
}

// What has set it when the statement at `at` runs. Of the one that has begun it is not known
// whether it has set it already.
RecomputedValues::Setter RecomputedValues::setter(const std::string& name, std::size_t at) const {
    if (at == here_ && has_begun_ && changes_->may_set(name, at)) return {};
    return changes_->setter(name, at);
}

std::optional<Value> RecomputedValues::present(const std::string& name) const {
    auto visible = find_visible(frame_, base_of(name));
    if (!visible || visible->variable != variable_named(base_of(name))) return std::nullopt;
    Value value = value_of_variable(moment_.target(), moment_.thread(), frame_, *visible->variable);
    // A store into memory that is its only place may have been moved over the stop.
    bool may_lag = has_one_place(*visible->variable) && value.address;
    if (!value.is_available() || may_lag) return std::nullopt;
    if (base_of(name) == name) return value;
    auto member =
        ValueReader(moment_.target()).member_named(value, name.substr(base_of(name).size() + 1));
    return member && member->is_available() ? member : std::nullopt;
}

// What its register held when the function was entered, as far as the caller still knows.
std::optional<Value> RecomputedValues::passed(const Variable& parameter) const {
    if (frame_.inlined || !frame_.function) return std::nullopt;
    FileAddress entry = frame_.function->low();
    bool is_passed_so = frame_.body && passing_order(parameter, entry) &&
                        is_in_order(frame_.body->outermost.variables, parameter, entry);
    if (!is_passed_so) return std::nullopt;
    auto place = dwarf::expression_at(parameter.locations, entry, 0);
    const std::byte expression[] = {std::byte{dwarf::DW_OP_entry_value}, std::byte{1}, (*place)[0],
                                    std::byte{dwarf::DW_OP_stack_value}};
    FrameContext context(moment_.target(), frame_);
    dwarf::Location location = dwarf::evaluate_location(expression, parameter.unit, context);
    if (location.pieces.size() != 1 || location.pieces[0].kind != dwarf::LocationPiece::Kind::value)
        return std::nullopt;
    return value_of_integer(*parameter.type, static_cast<Wide>(location.pieces[0].number));
}

std::optional<RecomputedValue> RecomputedValues::of(const std::string& name) {
    if (is_at_brace_) return std::nullopt;
    const Type* type = changes_ ? type_of(name) : nullptr;
    if (!type || !is_whole_number(*type)) return std::nullopt;
    open_.clear();  // an error may have left something there
    try {
        return set_by(name, setter(name, here_));
    } catch (const Error&) {  // a division by zero, a name that means nothing
    }
    return std::nullopt;
}

std::optional<RecomputedValue> RecomputedValues::set_by(const std::string& name,
                                                        const Setter& setter) {
    if (setter.kind == Setter::Kind::statement) return computed(name, setter.statement);
    if (setter.kind == Setter::Kind::choice) return chosen(name, setter.statement);
    const Variable* variable = variable_named(name);
    if (setter.kind != Setter::Kind::nobody || !variable || !variable->is_parameter)
        return std::nullopt;
    auto value = passed(*variable);
    return value ? std::optional(RecomputedValue{*value, 0, {}, {}, {}}) : std::nullopt;
}

// The value that the name had when the statement at `at` ran.
std::optional<RecomputedValue> RecomputedValues::as_of(const std::string& name, std::size_t at) {
    auto known = known_.find({name, at});
    if (known != known_.end()) return known->second;
    auto found = find_as_of(name, at);
    return known_.insert_or_assign({name, at}, std::move(found)).first->second;
}

// If nothing has set it since, that is the one it has; but not where the source says another.
std::optional<RecomputedValue> RecomputedValues::find_as_of(const std::string& name,
                                                            std::size_t at) {
    const Type* type = type_of(name);
    if (!type || !is_whole_number(*type)) return std::nullopt;
    Setter then = setter(name, at);
    const Variable* variable = variable_named(base_of(name));
    bool is_set = then.kind == Setter::Kind::statement || then.kind == Setter::Kind::choice ||
                  (then.kind == Setter::Kind::nobody && variable && variable->is_parameter);
    if (!is_set) return std::nullopt;
    auto by_source = set_by(name, then);
    bool is_doubtful = is_doubtful_ && is_doubtful_(name);
    auto now = then == setter(name, here_) && !is_doubtful ? present(name) : std::optional<Value>();
    if (!now) return by_source;
    ValueReader reader(moment_.target());
    if (by_source && reader.wide(by_source->value) != reader.wide(*now)) return std::nullopt;
    return RecomputedValue{*now, 0, {}, {}, {}};
}

std::optional<RecomputedValue> RecomputedValues::computed(const std::string& name,
                                                          std::size_t statement) {
    auto text = changes_->text_of_value(name, statement, member_index(name));
    if (!text || open_.size() > kDeepestRecomputed || !open_.insert({name, statement}).second)
        return std::nullopt;
    RecomputedValue made;
    auto result = value_of_text(*text, statement, made.with);
    open_.erase({name, statement});
    if (!result) return std::nullopt;
    ValueReader reader(moment_.target());
    const Type& type = *type_of(name);
    bool is_boolean = plain(type).kind == TypeKind::boolean;
    made.value =
        value_of_integer(type, is_boolean ? Wide{reader.truth(*result)} : reader.wide(*result));
    made.line = changes_->statements()[statement].first_line;
    made.text = *text;
    return made;
}

std::optional<Value> RecomputedValues::value_of_text(const std::string& text, std::size_t at,
                                                     std::vector<std::string>& with) {
    EvaluationContext context = moment_.context();
    context.frame = &frame_;
    Expression expression(text, context);
    Results operands;
    auto tree = with_values(expression.tree(), at, operands, with);
    if (!tree) return std::nullopt;
    context.results = &operands;
    Value result = value_of_node(*tree, context);
    return is_whole_number(*result.type) ? std::optional(std::move(result)) : std::nullopt;
}

// The first whose condition held when the choice was made; the number of ways: none did. Nothing
// where that is not known, or where it is a way on which nobody comes here: then a value that
// decided about it is false.
std::optional<std::size_t> RecomputedValues::way_gone(const std::vector<SourceChanges::Way>& ways,
                                                      std::size_t choice,
                                                      std::vector<std::string>& with) {
    for (std::size_t i = 0; i < ways.size(); ++i) {
        bool holds = ways[i].condition.empty();
        if (!holds) {
            auto value = value_of_text(ways[i].condition, choice, with);
            if (!value) return std::nullopt;
            holds = ValueReader(moment_.target()).truth(*value);
        }
        if (holds) return ways[i].leads_away ? std::nullopt : std::optional(i);
    }
    return ways.empty() ? std::nullopt : std::optional(ways.size());
}

// By the way that was gone. If nothing there sets it, it is what it was before.
std::optional<RecomputedValue> RecomputedValues::chosen(const std::string& name,
                                                        std::size_t choice) {
    if (open_.size() > kDeepestRecomputed || !open_.insert({name + "?", choice}).second)
        return std::nullopt;
    std::optional<RecomputedValue> made;
    std::vector<std::string> with;
    std::vector<SourceChanges::Way> ways = changes_->ways_of(choice);
    if (auto gone = way_gone(ways, choice, with)) {
        Setter last{Setter::Kind::nobody};
        if (*gone < ways.size()) last = changes_->setter_on(name, ways[*gone]);
        made = last.kind == Setter::Kind::nobody ? as_of(name, choice) : set_by(name, last);
    }
    open_.erase({name + "?", choice});
    if (made) made->decided_by.insert(made->decided_by.end(), with.begin(), with.end());
    return made;
}

// Which of its structure's members it is; kNoMember: it is no member.
std::size_t RecomputedValues::member_index(const std::string& name) const {
    const Variable* variable = variable_named(base_of(name));
    if (base_of(name) == name || !variable || !variable->type) return SourceChanges::kNoMember;
    const auto& members = plain(*variable->type).members();
    // Of those with parts of their own, the inner braces may be left out.
    bool are_plain = std::all_of(members.begin(), members.end(), [](const Member& member) {
        return member.type && is_scalar(*member.type);
    });
    if (!are_plain) return SourceChanges::kNoMember;
    for (std::size_t i = 0; i < members.size(); ++i)
        if (members[i].name == name.substr(base_of(name).size() + 1)) return i;
    return SourceChanges::kNoMember;
}

// The tree with values in the place of variables, as they were when the statement at `at` ran; null
// where one has none, or where it asks for more than whole numbers.
std::unique_ptr<Node> RecomputedValues::with_values(const Node& node, std::size_t at,
                                                    Results& operands,
                                                    std::vector<std::string>& with) {
    auto copy = std::make_unique<Node>();
    copy->kind = node.kind;
    copy->op = node.op;
    copy->column = node.column;
    copy->number = node.number;
    copy->real = node.real;
    copy->is_untyped = node.is_untyped;
    copy->type = node.type;
    auto with_value = [&](const std::string& name) -> std::unique_ptr<Node> {
        auto value = as_of(name, at);
        if (!value) return nullptr;
        copy->kind = NodeKind::result;
        copy->text = fmt::format("w{}", operand_++);
        operands.keep(copy->text, value->value);
        ValueReader reader(moment_.target());
        std::string told =
            fmt::format("{} = {}", name, one_line(make_view(reader, name, value->value), 40));
        if (std::find(with.begin(), with.end(), told) == with.end()) with.push_back(told);
        return std::move(copy);
    };
    switch (node.kind) {
        case NodeKind::literal:
            return !node.type || is_whole_number(*node.type) ? std::move(copy) : nullptr;
        case NodeKind::name: return node.chosen.empty() ? with_value(node.text) : nullptr;
        case NodeKind::member:
            return node.children.size() == 1 && node.children[0]->kind == NodeKind::name
                       ? with_value(node.children[0]->text + "." + node.text)
                       : nullptr;
        case NodeKind::unary:
            if (node.op == Operator::dereference || node.op == Operator::address) return nullptr;
            break;
        case NodeKind::cast:
        case NodeKind::static_cast_:
            if (!node.type || !is_whole_number(*node.type)) return nullptr;
            break;
        case NodeKind::binary:
        case NodeKind::conditional: break;
        default: return nullptr;
    }
    for (const auto& child : node.children) {
        auto part = child ? with_values(*child, at, operands, with) : nullptr;
        if (!part) return nullptr;
        copy->children.push_back(std::move(part));
    }
    return copy;
}

}  // namespace lantern
