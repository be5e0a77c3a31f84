// evaluate, setExpression, completions
#include <fmt/format.h>

#include <algorithm>

#include "cli/commands/command.h"
#include "cli/completion.h"
#include "cli/protocol/request.h"
#include "cli/protocol/variable_json.h"
#include "core/analysis/locals_report.h"
#include "core/analysis/value_report.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/value_view.h"

namespace lantern::cli {
namespace {

Form form_wanted(const Arguments& arguments) {
    return arguments.object("format").is_true("hex") ? Form::hex : Form::natural;
}

FrameAt frame_looked_at(Session& session) {
    return {session.has_threads() ? session.thread() : 0, session.selected_level()};
}

// As `value` at the prompt, in the frame that is looked at. `runs`: functions of the program may be
// called, where the session allows that.
LocalVariable evaluated(Conversation& conversation, const std::string& text, Form form, bool runs) {
    Session& session = conversation.session();
    Moment moment = session.moment();
    EvaluationContext context = moment.context();
    if (!runs) context.call = {};
    LocalVariable result;
    result.value = evaluate(text, context);
    if (form == Form::natural) form = moment.form_of(text);
    result.view = view_of_value(moment, text, result.value, form, limits_of_line(moment));
    result.expression = text;
    return result;
}

// The whole of it, for whoever takes it elsewhere.
std::string whole_words(Conversation& conversation, const LocalVariable& result, Form form) {
    constexpr unsigned kMost = 100'000;
    constexpr std::size_t kLongest = 1 << 20;
    Moment moment = conversation.session().moment();
    if (!result.view.unavailable.empty()) return value_words(result.view);
    ViewLimits limits = moment.view_limits();
    limits.children = limits.nodes = limits.text = kMost;
    limits.depth = 20;
    return one_line(make_view(ValueReader(moment.target()), "", result.value, form, limits),
                    kLongest);
}

std::string first_word(std::string_view line) {
    return std::string(line.substr(0, line.find(' ')));
}

// A word that is a command's own, or short for one. The beginning of one is a command only where it
// is no expression.
bool is_command(Conversation& conversation, const std::string& line) {
    if (line.starts_with("=") || line.starts_with("-")) return true;
    std::string written = written_out(line, conversation.shell().own_words);
    std::string word = first_word(written);
    if (written != line) return true;
    try {
        const Command& command = find_command(word);
        if (command.word == word) return true;
        evaluated(conversation, line, Form::natural, false);
        return false;
    } catch (const ExpressionError&) {
        return true;
    } catch (const RequestError&) {  // there is no such command
        return false;
    } catch (const Error&) {
        return false;
    }
}

bool changes_what_is_shown(const std::string& line) {
    for (std::string_view word : {"change", "form", "reload", "keep", "leave", "divert"})
        if (line.starts_with(word)) return true;
    return false;
}

// After a command: what it has moved or ended is told as if it had come by itself.
void tell_of_command(Conversation& conversation, const std::string& line,
                     std::uint64_t movements_before, bool was_moving) {
    Session& session = conversation.session();
    if (conversation.shell().wants_to_quit()) {
        conversation.leave_program(conversation.is_ours());
        conversation.wire().tell("terminated", Json::object());
        return;
    }
    conversation.take_over_breakpoints();
    bool is_moving = session.is_moving();
    // It may have come to its next stop, or its end, within the command.
    bool has_moved = session.movements() != movements_before || (is_moving && !was_moving);
    if (has_moved && !was_moving) {
        conversation.forget_stop();
        conversation.wire().tell("continued", {{"threadId", std::max(1u, session.thread_number())},
                                               {"allThreadsContinued", true}});
    }
    if (!is_moving && (has_moved || was_moving)) {
        conversation.tell_stop(session.last_stop());
    } else if (changes_what_is_shown(line)) {
        conversation.forget_values();
        conversation.tell_changed("variables");
    }
}

Json run_command(Conversation& conversation, const std::string& line) {
    Session& session = conversation.session();
    std::uint64_t movements = session.movements();
    bool was_moving = session.is_moving();
    conversation.take_shown();
    bool worked = conversation.shell().execute(line);
    std::string shown = conversation.take_shown();
    while (!shown.empty() && shown.back() == '\n') shown.pop_back();
    conversation.then([&conversation, line, movements, was_moving] {
        tell_of_command(conversation, line, movements, was_moving);
    });
    if (!worked && shown.empty()) shown = "it failed";
    return {{"result", shown}, {"variablesReference", 0}};
}

}  // namespace

Json changed_json(Conversation& conversation, FrameAt frame, const std::string& expression,
                  Form form, const char* name) {
    conversation.forget_values();
    conversation.look_at(frame);
    LocalVariable now = evaluated(conversation, expression, form, false);
    Json json = value_json(conversation, frame, now, "", name);
    conversation.then(
        [&conversation, address = now.value.address, size = plain(*now.value.type).size] {
            if (address && conversation.client.takes_memory_events)
                conversation.wire().tell(
                    "memory",
                    {{"memoryReference", reference_to(*address)}, {"offset", 0}, {"count", size}});
            conversation.tell_changed("variables");
        });
    return json;
}

Json answer_evaluate(Conversation& conversation, const Arguments& arguments) {
    Session& session = conversation.session();
    std::string text(trimmed(arguments.text("expression")));
    std::string purpose = arguments.text_or("context", "watch");
    Form form = form_wanted(arguments);
    if (auto frame = arguments.number("frameId"); frame && session.has_threads()) {
        if (!session.is_moving() || purpose != "repl") conversation.look_at_frame(*frame);
    }
    if (purpose == "repl" && is_command(conversation, text)) return run_command(conversation, text);
    bool runs = purpose == "repl" || purpose == "watch";
    LocalVariable result = evaluated(conversation, text, form, runs);
    FrameAt frame = frame_looked_at(session);
    Json json = value_json(conversation, frame, result, "", "result");
    if (purpose == "clipboard") json["result"] = whole_words(conversation, result, form);
    if (purpose == "hover" && conversation.stop_report())
        for (const ValueChange& change : conversation.stop_report()->changes)
            if (change.name == text)
                json["result"] = fmt::format("{}  (was {})", json["result"].get<std::string>(),
                                             change.was_unset ? "not set" : change.before);
    return json;
}

Json answer_set_expression(Conversation& conversation, const Arguments& arguments) {
    Session& session = conversation.standing();
    if (auto frame = arguments.number("frameId")) conversation.look_at_frame(*frame);
    std::string expression = arguments.text("expression");
    session.assign(expression, arguments.text("value"));
    return changed_json(conversation, frame_looked_at(session), expression, form_wanted(arguments),
                        "value");
}

Json answer_completions(Conversation& conversation, const Arguments& arguments) {
    Session& session = conversation.session();
    if (auto frame = arguments.number("frameId");
        frame && session.has_threads() && !session.is_moving())
        conversation.look_at_frame(*frame);
    std::string text = arguments.text("text");
    std::int64_t column = arguments.needed_number("column");
    if (conversation.client.columns_start_at_1) --column;
    std::size_t end =
        std::min(text.size(), static_cast<std::size_t>(std::max<std::int64_t>(0, column)));
    std::string_view before = std::string_view(text).substr(0, end);
    Json targets = Json::array();
    auto offer = [&](const Completion& completion) {
        for (const std::string& candidate : completion.candidates)
            targets.push_back({{"label", candidate},
                               {"start", end - std::min(end, completion.replaces)},
                               {"length", completion.replaces}});
    };
    offer(complete(conversation.shell(), before));
    // An expression by itself is one too.
    if (targets.empty() || before.find(' ') == std::string_view::npos)
        offer(complete(conversation.shell(), "= " + std::string(before)));
    return {{"targets", std::move(targets)}};
}

}  // namespace lantern::cli
