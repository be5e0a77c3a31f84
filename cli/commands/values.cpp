// value, change, keep, pin, unpin
#include <fmt/format.h>

#include "cli/commands/command.h"
#include "cli/figures/life_figure.h"
#include "cli/views/own_reports.h"
#include "cli/views/text.h"
#include "core/analysis/explain_report.h"
#include "core/analysis/figure_caption.h"
#include "core/analysis/value_report.h"
#include "core/analysis/variable_life.h"
#include "core/expressions/syntax.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/value_view.h"

namespace lantern::cli {

void run_value(Shell& shell, std::string_view arguments) {
    Formed request = split_form(arguments, shell.session().context().language());
    if (request.expression.empty())
        throw RequestError("value needs an expression",
                           "value level, for example; help value tells more");
    Session& session = shell.session();
    Expression expression(request.expression, session.context());
    // It may run a function of the program: whatever stands now is asked for behind that.
    Value value = expression.value(session.context());
    shell.show(
        report_value(session.moment(),
                     {request.expression, request.form, request.raw, request.all, request.from},
                     expression, value));
}

void run_explain(Shell& shell, std::string_view arguments) {
    std::string expression(trimmed(arguments));
    if (expression.empty())
        throw RequestError("explain needs a name or an expression", "explain level, for example");
    shell.show(report_explanation(shell.session().moment(), expression));
}

void save_life_figure(Shell& shell, std::string_view arguments, const std::filesystem::path& path) {
    std::string name(trimmed(arguments));
    if (name.empty())
        throw RequestError("whose life is to be drawn?", "save explain level as life.svg");
    draw_life(report_life(shell.session().moment(), name), caption_of(shell.session().moment()),
              path);
    shell.show(Notice{Notice::Kind::done,
                      fmt::format("where {} lives is drawn in {}", name, path.string())});
}

void run_form(Shell& shell, std::string_view arguments) {
    auto& forms = shell.session().presentation().forms;
    if (trimmed(arguments).empty()) {
        if (forms.empty())
            return shell.show(
                Notice{Notice::Kind::done, "every variable is shown in its natural form"});
        std::vector<std::string> lines;
        for (const auto& [name, form] : forms)
            lines.push_back(fmt::format("{} as {}", name, name_of(form)));
        return shell.show(Notice{Notice::Kind::done, fmt::format("{}", fmt::join(lines, ", "))});
    }
    std::string_view text = trimmed(arguments);
    constexpr std::string_view kNatural = " as natural";
    if (text.ends_with(kNatural)) {
        std::string name(trimmed(text.substr(0, text.size() - kNatural.size())));
        if (!forms.erase(name))
            throw RequestError(fmt::format("{} has no form of its own", name),
                               "form alone lists what is set");
        return shell.show(
            Notice{Notice::Kind::done, fmt::format("{} is shown in its natural form", name)});
    }
    Formed request = split_form(text);
    if (!request.form || request.expression.empty())
        throw RequestError("form needs NAME as FORM", "form level as hex, for example");
    forms[request.expression] = *request.form;
    shell.show(Notice{Notice::Kind::done, fmt::format("{} is shown as {} from now on",
                                                      request.expression, name_of(*request.form))});
}

void run_change(Shell& shell, std::string_view arguments) {
    std::size_t at = find_assignment(arguments);
    if (at == std::string_view::npos)
        throw RequestError("change needs PLACE = VALUE",
                           "change chamber->level_cm = 210, for example");
    std::string left(trimmed(arguments.substr(0, at)));
    std::string_view right = trimmed(arguments.substr(at + 1));
    if (left.empty()) throw RequestError("what is to be changed is missing before '='");
    Session& session = shell.session();
    session.process();
    ChangeReport report;
    report.place = left;
    report.before = value_line(session.moment(), left);
    report.warning = session.assign(left, right).warning;
    report.after = value_line(session.moment(), left);
    shell.show(report);
}

void run_keep(Shell& shell, std::string_view arguments) {
    std::size_t at = find_assignment(arguments);
    std::string name(trimmed(arguments.substr(0, at)));
    bool is_name =
        !name.empty() && !std::isdigit(static_cast<unsigned char>(name[0])) &&
        name.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_") ==
            std::string::npos;
    if (at == std::string_view::npos || !is_name)
        throw RequestError("keep needs NAME = VALUE, the name being one word",
                           "keep before = chamber->level_cm, for example");
    Session& session = shell.session();
    std::string expression(trimmed(arguments.substr(at + 1)));
    Value value = as_it_is_now(session.target(), evaluate(expression, session.context()));
    if (!value.is_available())
        throw RequestError(fmt::format("there is nothing to keep: {}", value.unavailable));
    session.presentation().results.keep(name, value);
    std::string text = one_line(make_view(ValueReader(session.target()), name, value), 200);
    shell.show(Notice{Notice::Kind::done, fmt::format("@{} = {}", name, text)});
}

void run_pin(Shell& shell, std::string_view arguments) {
    std::string text(trimmed(arguments));
    Session& session = shell.session();
    if (text.empty()) return shell.show(PinsReport{session.presentation().pins});
    if (!is_view_word(text)) Expression(text, session.context());
    Pin& pin = session.presentation().add_pin(text);
    std::string now;
    if (session.has_threads() && !is_view_word(text)) {
        try {
            ValueView view =
                view_of_value(session.moment(), text, evaluate(text, session.context()),
                              session.moment().form_of(text), session.moment().view_limits());
            std::string remark = qualification_with_parts(view);
            now = " = " + one_line(view, 200) + (remark.empty() ? "" : "  " + remark);
        } catch (const Error& error) {
            now = fmt::format(" (now: {})", error.what());
        }
    }
    shell.show(Notice{Notice::Kind::done,
                      fmt::format("pin {}: {}{}", pin.number, escape_for_display(text), now)});
}

void run_unpin(Shell& shell, std::string_view arguments) {
    auto& pins = shell.session().presentation().pins;
    std::string_view word = trimmed(arguments);
    if (word == "all") {
        pins.clear();
        return shell.show(Notice{Notice::Kind::done, "nothing is pinned any more"});
    }
    auto number = whole_number(word);
    if (!number)
        throw RequestError("unpin needs the number of a pin, or all", "pin alone lists them");
    std::size_t before = pins.size();
    std::erase_if(pins, [&](const Pin& pin) { return pin.number == *number; });
    if (pins.size() == before)
        throw RequestError(fmt::format("there is no pin {}", *number), "pin alone lists them");
    shell.show(Notice{Notice::Kind::done, fmt::format("pin {} removed", *number)});
}

}  // namespace lantern::cli
