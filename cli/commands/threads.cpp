// threads, thread, signals
#include <fmt/format.h>

#include "cli/commands/command.h"
#include "core/analysis/signals_report.h"
#include "core/analysis/threads_report.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

struct RuleWord {
    std::string_view word;
    SignalRule rule;
};
constexpr RuleWord kRules[] = {{"natural", SignalRule::natural},
                               {"pass", SignalRule::pass},
                               {"swallow", SignalRule::swallow},
                               {"pause", SignalRule::pause}};

}  // namespace

void run_signals(Shell& shell, std::string_view arguments) {
    std::string_view rest = arguments;
    std::string_view name = take_word(rest), word = take_word(rest);
    Session& session = shell.session();
    if (name.empty()) return shell.show(report_signals(session.signals()));
    int signal = signal_numbered(name);
    if (!signal)
        throw RequestError(fmt::format("{} is no signal", quote(name)), "signals lists them");
    if (!word.empty()) {
        const RuleWord* chosen = nullptr;
        for (const RuleWord& rule : kRules)
            if (rule.word == word) chosen = &rule;
        if (!chosen)
            throw RequestError(
                fmt::format("a signal can be natural, pass, swallow or pause, not {}", quote(word)),
                fmt::format("signals {} pass, for example", signal_name(signal)));
        session.signals().set(signal, chosen->rule);
    }
    shell.show(SignalsReport{{report_signal(session.signals(), signal)}});
}

void run_threads(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "threads");
    shell.show(report_threads(shell.session().moment()));
}

void run_thread(Shell& shell, std::string_view arguments) {
    auto number = whole_number(trimmed(arguments));
    if (!number) throw RequestError("thread needs the number of a thread", "threads lists them");
    Session& session = shell.session();
    session.select_thread(static_cast<unsigned>(*number));
    // The user wants to see their own code, wherever inside a library it waits.
    for (const ThreadRow& row : report_threads(session.moment()).rows)
        if (row.is_selected) session.select_frame(row.level);
    shell.listed_file.clear();
    shell.show(Notice{Notice::Kind::done, fmt::format("thread {}", *number)});
    find_command("frame").run(shell, "");
}

}  // namespace lantern::cli
