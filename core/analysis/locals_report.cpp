#include "core/analysis/locals_report.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/library_code.h"
#include "core/analysis/source_view.h"
#include "core/expressions/scope_names.h"
#include "core/support/pattern.h"
#include "core/support/text.h"
#include "core/symbols/places.h"
#include "core/values/unset_members.h"
#include "core/values/variable_value.h"

namespace lantern {

namespace {

// What nothing has made yet cannot be broken.
void forgive(ValueView& view) {
    view.broken.clear();
    for (ValueView& child : view.children) forgive(child);
}

}  // namespace

namespace {

constexpr unsigned kMembersShown = 24;
constexpr unsigned kLeftoverShown = 16;  // characters of a text that nobody has set

// Whether the user has written into it.
bool is_written_by_hand(const Moment& moment, const Value& value) {
    if (!value.address) return false;
    RunRange place{*value.address, *value.address + plain(*value.type).size};
    return std::ranges::any_of(moment.presentation().written_by_hand,
                               [&](RunAddress each) { return place.contains(each); });
}

bool is_of_lambda(const Type& type) {
    const std::string& name = plain(type).name;
    return name.empty() || name.find("lambda") != std::string::npos;
}

bool is_listed(const std::vector<LocalVariable>& variables, const std::string& name) {
    return std::ranges::any_of(variables, [&](const LocalVariable& each) {
        return each.view.name == name && !each.view.is_shadowed;
    });
}

// What a variable that is a pointer leads to, where that is an object.
std::optional<Value> object_behind(const Moment& moment, const Frame& frame,
                                   std::string_view name) {
    auto own = find_visible(frame, name);
    if (!own) return std::nullopt;
    ValueReader reader(moment.target());
    Value pointer = value_of_variable(moment.target(), moment.thread(), frame, *own->variable);
    bool leads_on = pointer.is_available() && plain(*pointer.type).kind == TypeKind::pointer &&
                    (pointer.removed_target || reader.integer(pointer) != 0);
    if (!leads_on) return std::nullopt;
    Value object = reader.dereference(pointer);
    return plain(*object.type).kind == TypeKind::structure ? std::optional(object) : std::nullopt;
}

ViewLimits limits_of_object(ViewLimits limits) {
    limits.children = std::min(limits.children, kMembersShown);
    limits.depth = std::min(limits.depth, 2u);
    return limits;
}

void add_captures(const Moment& moment, const Value& object, const ViewLimits& limits,
                  std::vector<LocalVariable>& variables) {
    ValueReader reader(moment.target());
    for (const Member& member : plain(*object.type).members()) {
        std::string name = member.name.starts_with("__") ? member.name.substr(2) : member.name;
        if (name.empty() || is_listed(variables, name)) continue;
        LocalVariable captured;
        captured.value = reader.member(object, member);
        captured.view =
            make_view(reader, name, captured.value, moment.form_of(name), limits_of_object(limits));
        captured.view.is_captured = true;
        captured.expression = name;
        variables.push_back(std::move(captured));
    }
}

// What the function works on without naming it: the captures of a lambda, the whole object of a
// method. In gcc's lambdas `this` is the object around, in clang's their own.
void add_object(const Moment& moment, const Frame& frame, const ViewLimits& limits,
                std::vector<LocalVariable>& variables) {
    auto object = object_behind(moment, frame, "this");
    if (object && is_of_lambda(*object->type)) {
        std::erase_if(variables,
                      [](const LocalVariable& each) { return each.view.name == "this"; });
        return add_captures(moment, *object, limits, variables);
    }
    if (auto closure = object_behind(moment, frame, "__closure");
        closure && is_of_lambda(*closure->type))
        add_captures(moment, *closure, limits, variables);
    if (!object) return;
    LocalVariable itself;
    itself.view = make_view(ValueReader(moment.target()), "*this", *object, moment.form_of("*this"),
                            limits_of_object(limits));
    itself.value = std::move(*object);
    itself.expression = "*this";
    variables.push_back(std::move(itself));
}

}  // namespace

std::vector<LocalVariable> local_variables(const Moment& moment, const Frame& frame,
                                           const ViewLimits& limits) {
    std::vector<LocalVariable> variables;
    Target& target = moment.target();
    ValueReader reader(target);
    AssignmentAnalysis assignment(target, frame);
    SourceView source(moment, frame);
    for (const VisibleVariable& visible : visible_variables(frame)) {
        const Variable& variable = *visible.variable;
        if (variable.is_artificial && variable.name != "this")
            continue;  // what the compiler needs for a loop or a length
        Value value = value_of_variable(target, moment.thread(), frame, variable);
        Assignment assigned =
            value.is_available() ? assignment.of(variable, *visible.scope) : Assignment::unknown;
        ViewLimits fit = limits;
        if (is_unset(assigned)) fit.text = std::min(fit.text, kLeftoverShown);
        ValueView view =
            make_view(reader, variable.name, value, moment.form_of(variable.name), fit);
        view.assignment = assigned;
        view.declared_line = variable.declared_line;
        view.is_parameter = variable.is_parameter;
        view.is_shadowed = visible.is_shadowed;
        if (value.is_available() && !is_written_by_hand(moment, value))
            mark_unset_members(view, assignment, whole_of(variable), *visible.scope);
        if (is_unset(view.assignment)) forgive(view);
        if (!view.is_shadowed) source.add_to(view, variable);
        std::string expression =
            view.is_shadowed ? fmt::format("{}#{}", view.name, view.declared_line) : view.name;
        variables.push_back(
            {std::move(view), std::move(value), std::move(expression), variable.declared_in});
    }
    add_object(moment, frame, limits, variables);
    return variables;
}

LocalsReport report_locals(const Moment& moment, const Frame& frame) {
    LocalsReport report;
    report.level = frame.level;
    report.function = frame_function_name(frame);
    if (frame.line) {
        report.file = frame.line->file;
        report.line = frame.line->line;
    }
    for (LocalVariable& each : local_variables(moment, frame, moment.view_limits()))
        report.variables.push_back(std::move(each.view));
    return report;
}

std::vector<LocalVariable> file_variables(const Moment& moment, const Frame& frame,
                                          const ViewLimits& limits, std::size_t most) {
    std::vector<LocalVariable> variables;
    if (!frame.module || !frame.function) return variables;
    const ModuleSymbols& symbols = frame.module->symbols();
    ValueReader reader(moment.target());
    SourceView source(moment, frame);
    for (const NameEntry& entry : symbols.index().names()) {
        if (entry.kind != NameKind::global || variables.size() >= most) continue;
        if (symbols.debug_info().unit_holding(entry.position) != frame.function->unit) continue;
        auto variable = symbols.global(entry);
        if (!variable || variable->is_artificial) continue;
        LocalVariable each;
        each.value =
            value_of_global(moment.target(), moment.thread(), &frame, *frame.module, *variable);
        each.view =
            make_view(reader, variable->name, each.value, moment.form_of(variable->name), limits);
        if (each.value.address) source.add_to_global(each.view, *variable, *each.value.address);
        each.view.declared_line = variable->declared_line;
        each.expression = symbols.index().qualified_name(entry);
        each.declared_in = variable->declared_in;
        variables.push_back(std::move(each));
    }
    return variables;
}

namespace {

// Those of one module that fit; the values of as many as there is room for.
void add_globals(GlobalsReport& report, const Moment& moment, const Module& module,
                 const GlobalsQuestion& question, const Pattern& pattern) {
    const SymbolIndex& index = module.symbols().index();
    ValueReader reader(moment.target());
    bool in_this_module = !question.in.empty() && path_matches(module.path(), question.in);
    std::string wanted_type = lower_case(question.of);
    bool asks_for_all = question.pattern.empty() && question.in.empty() && question.of.empty();
    const Frame* frame = moment.selected_frame();
    std::optional<SourceView> source;
    if (frame && frame->module == &module) source.emplace(moment, *frame);
    for (const NameEntry& entry : index.names()) {
        if (entry.kind != NameKind::global) continue;
        std::string name = index.qualified_name(entry);
        if (!pattern.matches(name)) continue;
        if (asks_for_all) {
            const dwarf::Unit* unit = module.symbols().debug_info().unit_holding(entry.position);
            if (module.is_system_library() ||
                !language_library(name, unit && unit->is_rust()).empty()) {
                ++report.of_library;
                continue;
            }
        }
        bool must_be_read = (!question.in.empty() && !in_this_module) || !wanted_type.empty() ||
                            report.variables.size() < question.limit;
        auto variable = must_be_read ? module.symbols().global(entry) : std::nullopt;
        if (must_be_read && !variable) continue;
        if (!question.in.empty() && !in_this_module &&
            !path_matches(variable->declared_in, question.in))
            continue;
        if (!wanted_type.empty() &&
            lower_case(type_text(*variable->type)).find(wanted_type) == std::string::npos)
            continue;
        ++report.total;
        if (report.variables.size() >= question.limit) continue;
        Value value = value_of_global(moment.target(), moment.thread(), frame, module, *variable);
        ValueView view = make_view(reader, variable->name, value, moment.form_of(variable->name),
                                   moment.view_limits());
        if (source && value.address) source->add_to_global(view, *variable, *value.address);
        view.declared_line = variable->declared_line;
        report.variables.push_back(std::move(view));
    }
}

}  // namespace

GlobalsReport report_globals(const Moment& moment, const GlobalsQuestion& question) {
    GlobalsReport report;
    report.is_running = moment.has_stack();
    Pattern pattern(question.pattern);
    // The program's own and its own libraries', then the system's.
    for (bool system : {false, true})
        for (const Module& module : moment.target().modules())
            if (module.is_system_library() == system)
                add_globals(report, moment, module, question, pattern);
    return report;
}

namespace {

// What an expression names that is a variable of the frame or, by its members, a part of one.
struct NamedPart {
    VisibleVariable visible;
    PartOfVariable part;
};

std::optional<NamedPart> part_of_frame(const Frame& frame, std::string_view expression) {
    std::string_view path = trimmed(expression);
    std::size_t dot = std::min(path.find('.'), path.size());
    std::string_view name = path.substr(0, dot);
    std::size_t hash = std::min(name.find('#'), name.size());
    auto visible =
        find_visible(frame, name.substr(0, hash), name.substr(std::min(name.size(), hash + 1)));
    if (!visible) return std::nullopt;
    auto part = part_named(*visible->variable, path.substr(std::min(path.size(), dot + 1)));
    return part ? std::optional(NamedPart{*visible, *part}) : std::nullopt;
}

}  // namespace

Assignment assignment_of_name(const Moment& moment, const std::string& expression) {
    const Frame* frame = moment.selected_frame();
    auto named = frame ? part_of_frame(*frame, expression) : std::nullopt;
    if (!named) return Assignment::unknown;
    return AssignmentAnalysis(moment.target(), *frame).of_part(named->part, *named->visible.scope);
}

void add_assignment(const Moment& moment, const std::string& expression, const Value& value,
                    ValueView& view) {
    const Frame* frame = moment.selected_frame();
    auto named = frame ? part_of_frame(*frame, expression) : std::nullopt;
    if (!named) return;
    AssignmentAnalysis assignment(moment.target(), *frame);
    view.assignment = assignment.of_part(named->part, *named->visible.scope);
    if (!is_written_by_hand(moment, value))
        mark_unset_members(view, assignment, named->part, *named->visible.scope);
}

}  // namespace lantern
