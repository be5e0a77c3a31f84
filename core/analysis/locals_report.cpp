#include "core/analysis/locals_report.h"

#include "core/expressions/scope_names.h"
#include "core/support/text.h"
#include "core/values/variable_value.h"

namespace lantern {

LocalsReport report_locals(Session& session, const Frame& frame) {
    LocalsReport report;
    report.level = frame.level;
    report.function = frame_function_name(frame);
    if (frame.line) {
        report.file = frame.line->file;
        report.line = frame.line->line;
    }
    Target& target = session.target();
    ValueReader reader(target);
    AssignmentAnalysis assignment(target, frame);
    for (const VisibleVariable& visible : visible_variables(frame)) {
        const Variable& variable = *visible.variable;
        Value value = value_of_variable(target, session.thread(), frame, variable);
        ValueView view = make_view(reader, variable.name, value);
        view.declared_line = variable.declared_line;
        view.is_parameter = variable.is_parameter;
        view.is_shadowed = visible.is_shadowed;
        if (value.is_available()) view.assignment = assignment.of(variable, *visible.scope);
        report.variables.push_back(std::move(view));
    }
    return report;
}

GlobalsReport report_globals(Session& session, const std::string& pattern, std::size_t limit) {
    GlobalsReport report;
    report.is_running = session.is_running();
    Target& target = session.target();
    ValueReader reader(target);
    std::string wanted = lower_case(pattern);
    for (const Module& module : target.modules()) {
        const SymbolIndex& index = module.symbols().index();
        for (const NameEntry& entry : index.names()) {
            if (entry.kind != NameKind::global) continue;
            if (!wanted.empty() && lower_case(index.qualified_name(entry)).find(wanted) == std::string::npos) continue;
            ++report.total;
            if (report.variables.size() >= limit) continue;
            auto variable = module.symbols().global(entry);
            if (!variable) continue;
            Frame outside;
            outside.module = &module;
            if (const Frame* frame = session.selected_frame()) outside.registers = frame->registers;
            ValueView view = make_view(reader, variable->name, value_of_variable(target, session.thread(), outside, *variable));
            view.declared_line = variable->declared_line;
            report.variables.push_back(std::move(view));
        }
    }
    return report;
}

Assignment assignment_of_name(Session& session, const std::string& expression) {
    const Frame* frame = session.selected_frame();
    if (!frame) return Assignment::unknown;
    std::string_view name = trimmed(expression);
    for (const VisibleVariable& visible : visible_variables(*frame)) {
        std::string chosen = visible.variable->name + "#" + std::to_string(visible.variable->declared_line);
        if ((visible.variable->name != name || visible.is_shadowed) && chosen != name) continue;
        return AssignmentAnalysis(session.target(), *frame).of(*visible.variable, *visible.scope);
    }
    return Assignment::unknown;
}

}  // namespace lantern
