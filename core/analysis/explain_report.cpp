#include "core/analysis/explain_report.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/locals_report.h"
#include "core/analysis/missing_value.h"
#include "core/analysis/source_view.h"
#include "core/expressions/name_lookup.h"
#include "core/expressions/scope_names.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/place_text.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

// The line of the row at the range's low address that it begins with; 0: it holds from the first
// on.
std::uint32_t line_it_begins_with(const dwarf::LocationRange& location, const Frame& frame) {
    if (!location.low_row || !frame.function) return 0;
    for (const CodePosition& position :
         frame.module->symbols().positions_of(*frame.function).at(location.range->low))
        if (position.row == location.low_row) return position.line;
    return 0;
}

void add_places(ExplainReport& report, const Variable& variable, const Frame& frame) {
    for (const dwarf::LocationRange& location : variable.locations) {
        ExplainedPlace place;
        place.is_nowhere = location.expression.empty();
        place.place = location.expression.empty() ? "kept nowhere"
                                                  : place_text(location.expression, variable.unit);
        if (location.range && frame.module) {
            place.low = frame.module->to_run(location.range->low);
            place.high = frame.module->to_run(location.range->high);
            if (auto lines = lines_of(frame, std::span(&*location.range, 1))) {
                place.first_line = lines->first;
                place.last_line = lines->last;
            }
            place.from_line = line_it_begins_with(location, frame);
            place.is_here = location.holds_at(frame.file_address(), frame.row());
        } else {
            place.is_here = true;
        }
        report.places.push_back(std::move(place));
    }
    if (variable.locations.empty() && variable.constant)
        report.places.push_back({"a constant in the debug information", {}, {}, 0, 0, 0, true});
}

std::string scope_text(const Frame& frame, const Scope& scope) {
    std::string function = frame_function_name(frame);
    bool whole = frame.function && scope.ranges == frame.function->ranges;
    if (whole || scope.ranges.empty() || !frame.module) return "all of " + function;
    auto lines = lines_of(frame, scope.ranges);
    return lines ? fmt::format("a block of {}, lines {} to {}", function, lines->first, lines->last)
                 : "a block of " + function;
}

std::string kind_of(const Variable& variable, const Frame& frame) {
    return fmt::format("{} of {}", variable.is_parameter ? "parameter" : "local variable",
                       frame_function_name(frame));
}

void add_names(ExplainReport& report, const Moment& moment, const Frame& frame,
               const std::optional<VisibleVariable>& chosen, const std::string& name) {
    ValueReader reader(moment.target());
    auto add = [&](const Variable& variable, const Value& value, std::string what, bool is_meant) {
        report.names.push_back({fmt::format("{}#{}", name, variable.declared_line),
                                one_line(make_view(reader, name, value), 60),
                                variable.declared_line, std::move(what), is_meant});
    };
    for (const VisibleVariable& visible : visible_variables(frame))
        if (visible.variable->name == name)
            add(*visible.variable,
                value_of_variable(moment.target(), moment.thread(), frame, *visible.variable),
                visible.variable->is_parameter ? "parameter" : "local variable",
                chosen && visible.variable == chosen->variable);
    const Module* module = nullptr;
    if (auto global = find_global(moment.target(), &frame, name, module)) {
        add(*global, value_of_global(moment.target(), moment.thread(), &frame, *module, *global),
            "global variable", !chosen);
    }
    if (report.names.size() < 2) report.names.clear();
}

std::string text_of(const Macro& macro) {
    if (!macro.takes_arguments) return macro.body.empty() ? "nothing" : macro.body;
    return fmt::format("{}({}) → {}", macro.name, fmt::join(macro.parameters, ", "),
                       macro.body.empty() ? "nothing" : macro.body);
}

// Of a macro that is no value, what it stands for is all there is to tell.
ExplainReport explained_macro(const Moment& moment, const Macro& macro,
                              const EvaluationContext& context) {
    ExplainReport report;
    report.expression = macro.name;
    report.what = "macro";
    report.stands_for = text_of(macro);
    report.declared_in = macro.file;
    report.declared_line = macro.line;
    if (macro.takes_arguments) return report;
    try {
        Value value = evaluate(macro.name, context);
        report.value = make_view(ValueReader(moment.target()), macro.name, value, Form::natural,
                                 moment.view_limits());
        report.type = type_text(*value.type);
        report.size = plain(*value.type).size;
    } catch (const Error& error) {
        report.value.unavailable = error.what();
    }
    return report;
}

}  // namespace

ExplainReport report_explanation(const Moment& moment, const std::string& expression) {
    ExplainReport report;
    report.expression = expression;
    EvaluationContext context = moment.context();
    if (auto macro = FrameNames(context).macro(std::string(trimmed(expression))))
        return explained_macro(moment, *macro, context);
    Value value = evaluate(expression, context);
    report.value = make_view(ValueReader(moment.target()), expression, value,
                             moment.form_of(expression), moment.view_limits());
    report.type = type_text(*value.type);
    report.size = plain(*value.type).size;
    report.is_only_declared = plain(*value.type).is_incomplete;
    report.what = value.in_register                               ? "register"
                  : plain(*value.type).kind == TypeKind::function ? "function"
                  : value.address                                 ? "a place in memory"
                                                                  : "a computed value";
    if (value.address) {
        const Module* module = moment.target().module_at(*value.address);
        auto nearest =
            module ? module->symbols().nearest_name(module->to_file(*value.address)) : std::nullopt;
        report.address_is = nearest ? nearest->offset
                                          ? fmt::format("{} + {}", nearest->name, nearest->offset)
                                          : nearest->name
                                    : moment.surroundings().describe(*value.address);
    }
    std::string name(trimmed(expression));
    std::string bare = name.substr(0, name.find('#'));
    if (context.frame) {
        auto chosen =
            find_visible(*context.frame, bare,
                         std::string_view(name).substr(std::min(name.size(), bare.size() + 1)));
        add_names(report, moment, *context.frame, chosen, bare);
        if (chosen) {
            const Variable& variable = *chosen->variable;
            report.what = kind_of(variable, *context.frame);
            report.declared_in = variable.declared_in;
            report.declared_line = variable.declared_line;
            report.scope = scope_text(*context.frame, *chosen->scope);
            if (value.is_available()) add_assignment(moment, name, value, report.value);
            add_source_view(moment, name, report.value);
            add_places(report, variable, *context.frame);
            bool has_place = std::any_of(
                report.places.begin(), report.places.end(),
                [](const ExplainedPlace& place) { return place.is_here && !place.is_nowhere; });
            if (!has_place) {
                report.nearest = nearest_places(*context.frame, *chosen->scope, variable);
                if (report.value.recovered.empty())
                    report.why = why_nowhere(moment, *context.frame, variable, report.nearest);
            }
            return report;
        }
    }
    const Module* module = nullptr;
    if (auto global = find_global(moment.target(), context.frame, bare, module)) {
        report.what =
            module->is_system_library() ? "global variable of a library" : "global variable";
        report.declared_in = global->declared_in;
        report.declared_line = global->declared_line;
        report.scope = "everywhere";
        Frame outside;
        outside.module = module;
        add_places(report, *global, outside);
    }
    return report;
}

}  // namespace lantern
