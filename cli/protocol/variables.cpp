// scopes, variables, setVariable
#include <fmt/format.h>

#include <algorithm>

#include "cli/protocol/request.h"
#include "cli/protocol/variable_json.h"
#include "core/analysis/locals_report.h"
#include "core/analysis/registers_report.h"
#include "core/analysis/stop_report.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/value_view.h"

namespace lantern::cli {
namespace {

constexpr std::uint64_t kMostListed = 5000;  // where the client does not ask for a part

constexpr std::string_view kGroups[] = {"general",  "flags", "segments", "vectors",
                                        "floating", "masks", "debug"};

Form form_asked(const Arguments& arguments) {
    return arguments.object("format").is_true("hex") ? Form::hex : Form::natural;
}

// What the value was at the last stop; empty where it is the same, or not known.
std::string before_of(Conversation& conversation, const Holder& holder, const std::string& name) {
    const auto& report = conversation.stop_report();
    if (!report || !conversation.is_where_it_stopped(holder.frame)) return {};
    for (const ValueChange& change : report->changes)
        if (change.name == name) return change.was_unset ? "not set" : change.before;
    return {};
}

std::vector<LocalVariable> locals_with(Conversation& conversation, const Holder& holder,
                                       bool parameters) {
    std::vector<LocalVariable> wanted;
    for (const LocalVariable& each : conversation.locals_of(holder.frame))
        if (each.view.is_parameter == parameters) wanted.push_back(each);
    return wanted;
}

// What was returned, by the numbers that results have at the prompt.
std::vector<LocalVariable> returned_values(Conversation& conversation) {
    Session& session = conversation.session();
    Moment moment = session.moment();
    const Stop& stop = session.last_stop();
    std::vector<ReturnedValue> all = stop.calls;
    if (stop.returned) all.push_back(*stop.returned);
    std::vector<LocalVariable> wanted;
    for (const ReturnedValue& each : all) {
        LocalVariable variable;
        variable.view = make_view(ValueReader(moment.target()), each.function, each.value,
                                  Form::natural, limits_of_line(moment));
        variable.value = each.value;
        if (each.value.is_available()) {
            unsigned number = session.presentation().results.add(each.value);
            variable.expression = fmt::format("@{}", number);
        }
        wanted.push_back(std::move(variable));
    }
    return wanted;
}

bool is_expression(Conversation& conversation, const std::string& text) {
    try {
        evaluate(text, conversation.session().context());
        return true;
    } catch (const Error&) {
        return false;
    }
}

Json changes_json(Conversation& conversation) {
    Json all = Json::array();
    const StopReport& report = *conversation.stop_report();
    for (const ValueChange& change : report.changes) {
        Json json{{"name", change.name},
                  {"value", fmt::format("{} → {}", change.was_unset ? "not set" : change.before,
                                        change.after)},
                  {"variablesReference", 0},
                  {"presentationHint", {{"attributes", Json::array({"readOnly"})}}}};
        if (is_expression(conversation, change.name)) json["evaluateName"] = change.name;
        all.push_back(std::move(json));
    }
    if (report.more_changes)
        all.push_back({{"name", "…"},
                       {"value", fmt::format("{} more have changed", report.more_changes)},
                       {"variablesReference", 0}});
    return all;
}

Json register_groups(Conversation& conversation, const Holder& holder) {
    Json all = Json::array();
    for (std::string_view group : kGroups)
        all.push_back({{"name", group},
                       {"value", ""},
                       {"variablesReference",
                        conversation.references.add(Holder{Holder::Kind::register_group,
                                                           holder.frame, std::string(group)})},
                       {"presentationHint", {{"kind", "virtual"}}}});
    return all;
}

std::string register_words(const RegisterRow& row) {
    if (!row.unknown.empty()) return "no value: " + row.unknown;
    std::string text;
    if (row.number) {
        text = fmt::format("{:#x}", *row.number);
    } else {
        for (auto byte = row.bytes.rbegin(); byte != row.bytes.rend(); ++byte)
            text += fmt::format("{:02x}", static_cast<unsigned>(*byte));
        text = "0x" + text;
    }
    for (const std::string& more : {row.text, row.points_at})
        if (!more.empty()) text += "  " + more;
    return text;
}

Json registers_json(Conversation& conversation, const Holder& holder) {
    Session& session = conversation.session();
    RegistersReport report =
        report_registers(session.moment(), {holder.group}, session.registers_before());
    Json all = Json::array();
    for (const RegisterRow& row : report.rows) {
        Json json{{"name", row.name},
                  {"value", register_words(row)},
                  {"evaluateName", "%" + row.name},
                  {"variablesReference", 0}};
        if (!row.before.empty()) {
            json["type"] = "was " + row.before;
            json["presentationHint"] = {{"attributes", Json::array({"changed"})}};
        }
        if (row.number && !row.points_at.empty())
            json["memoryReference"] = reference_to(RunAddress(*row.number));
        all.push_back(std::move(json));
    }
    return all;
}

std::vector<LocalVariable> statics(Conversation& conversation) {
    Session& session = conversation.session();
    auto all = file_variables(session.moment(), *session.selected_frame(),
                              limits_of_line(session.moment()), kMostListed);
    check_expressions(conversation, all);
    return all;
}

// What it holds, as values.
std::vector<LocalVariable> variables_in(Conversation& conversation, const Holder& holder,
                                        std::uint64_t first, std::uint64_t count, Form form) {
    switch (holder.kind) {
        case Holder::Kind::parameters: return locals_with(conversation, holder, true);
        case Holder::Kind::locals: return locals_with(conversation, holder, false);
        case Holder::Kind::returned: return returned_values(conversation);
        case Holder::Kind::statics: return statics(conversation);
        default: return parts_of(conversation, holder, first, count, form);
    }
}

// In another form than their own.
void write_as(Conversation& conversation, Form form, std::vector<LocalVariable>& variables) {
    if (form == Form::natural) return;
    Moment moment = conversation.session().moment();
    for (LocalVariable& each : variables) {
        if (!each.value.is_available()) continue;
        ValueView view = make_view(ValueReader(moment.target()), each.view.name, each.value, form,
                                   limits_of_line(moment));
        each.view.text = std::move(view.text);
        each.view.children = std::move(view.children);
    }
}

Json scope(Conversation& conversation, const char* name, const char* hint, Holder holder,
           bool is_expensive) {
    Json json{{"name", name},
              {"variablesReference", conversation.references.add(std::move(holder))},
              {"expensive", is_expensive}};
    if (*hint) json["presentationHint"] = hint;
    return json;
}

}  // namespace

Json answer_scopes(Conversation& conversation, const Arguments& arguments) {
    FrameAt at = conversation.references.frame(arguments.needed_number("frameId"));
    const Frame& frame = conversation.look_at(at);
    Json all = Json::array();
    using Kind = Holder::Kind;
    auto holder = [at](Kind kind) { return Holder{kind, at, ""}; };
    if (conversation.is_where_it_stopped(at)) {
        const Stop& stop = conversation.session().last_stop();
        if (stop.returned || !stop.calls.empty())
            all.push_back(
                scope(conversation, "Returned", "returnValue", holder(Kind::returned), false));
        const auto& report = conversation.stop_report();
        if (report && !report->changes.empty())
            all.push_back(scope(conversation, "Changed since the last stop", "",
                                holder(Kind::changed), false));
    }
    if (frame.function) {
        Json locals = scope(conversation, "Locals", "locals", holder(Kind::locals), false);
        Json parameters =
            scope(conversation, "Parameters", "arguments", holder(Kind::parameters), false);
        std::size_t known = conversation.locals_of(at).size();
        auto are_parameters = static_cast<std::size_t>(std::ranges::count_if(
            conversation.locals_of(at),
            [](const LocalVariable& each) { return each.view.is_parameter; }));
        parameters["namedVariables"] = are_parameters;
        locals["namedVariables"] = known - are_parameters;
        all.push_back(std::move(locals));
        all.push_back(std::move(parameters));
        all.push_back(scope(conversation, "Statics of this file", "", holder(Kind::statics), true));
    }
    all.push_back(scope(conversation, "Registers", "registers", holder(Kind::registers), true));
    return {{"scopes", std::move(all)}};
}

Json answer_variables(Conversation& conversation, const Arguments& arguments) {
    conversation.standing();
    Holder holder = conversation.references.holder(arguments.needed_number("variablesReference"));
    conversation.look_at(holder.frame);
    std::int64_t start = arguments.number("start").value_or(0);
    std::int64_t count = arguments.number("count").value_or(0);  // 0: all
    if (start < 0 || count < 0) throw RequestError("start and count count from 0 on");
    if (holder.kind == Holder::Kind::changed)
        return {
            {"variables", conversation.stop_report() ? changes_json(conversation) : Json::array()}};
    if (holder.kind == Holder::Kind::registers)
        return {{"variables", register_groups(conversation, holder)}};
    if (holder.kind == Holder::Kind::register_group)
        return {{"variables", registers_json(conversation, holder)}};
    std::uint64_t wanted = count ? static_cast<std::uint64_t>(count) : kMostListed;
    auto variables = variables_in(conversation, holder, static_cast<std::uint64_t>(start), wanted,
                                  form_asked(arguments));
    if (holder.kind != Holder::Kind::parts) {
        write_as(conversation, form_asked(arguments), variables);
        variables.erase(variables.begin(),
                        variables.begin() + std::min<std::ptrdiff_t>(start, std::ssize(variables)));
        if (variables.size() > wanted)
            variables.erase(variables.begin() + static_cast<std::ptrdiff_t>(wanted),
                            variables.end());
    }
    Json all = Json::array();
    bool is_of_stop =
        holder.kind == Holder::Kind::locals || holder.kind == Holder::Kind::parameters;
    for (const LocalVariable& each : variables)
        all.push_back(variable_json(
            conversation, holder.frame, each,
            is_of_stop ? before_of(conversation, holder, each.view.name) : std::string()));
    bool may_be_more = !count && holder.kind == Holder::Kind::parts && all.size() == kMostListed;
    if (may_be_more)
        all.push_back({{"name", "…"},
                       {"value", fmt::format("more than {}; start and count ask for a part",
                                             with_thousands(kMostListed))},
                       {"variablesReference", 0},
                       {"presentationHint", {{"kind", "virtual"}}}});
    return {{"variables", std::move(all)}};
}

std::string expression_of_variable(Conversation& conversation, std::int64_t reference,
                                   const std::string& name) {
    Holder holder = conversation.references.holder(reference);
    conversation.look_at(holder.frame);
    if (holder.kind == Holder::Kind::register_group) return "%" + name;
    for (const LocalVariable& each :
         variables_in(conversation, holder, 0, kMostListed, Form::natural)) {
        std::string shown = each.view.is_shadowed
                                ? fmt::format("{}#{}", each.view.name, each.view.declared_line)
                                : each.view.name;
        if (shown != name && !(shown.empty() && name == "*")) continue;
        if (!each.expression.empty()) return each.expression;
        // No expression stands for it: it gets a name.
        if (!each.value.address) return {};
        conversation.session().presentation().results.keep("part", each.value);
        return "@part";
    }
    throw RequestError(fmt::format("there is no variable {} in it", quote(name)));
}

Json answer_set_variable(Conversation& conversation, const Arguments& arguments) {
    Session& session = conversation.standing();
    std::int64_t reference = arguments.needed_number("variablesReference");
    std::string name = arguments.text("name");
    std::string expression = expression_of_variable(conversation, reference, name);
    if (expression.empty())
        throw RequestError(fmt::format("{} is no place that can be changed", name));
    session.assign(expression, arguments.text("value"));
    FrameAt frame = conversation.references.holder(reference).frame;
    return changed_json(conversation, frame, expression, form_asked(arguments), "value");
}

}  // namespace lantern::cli
