// launch, restart, continue, over, into, out, reach
#include <fmt/format.h>

#include "cli/commands/command.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

// Repeats a movement until it has been done `times` or something else than its arrival stops the program.
template <class Move>
void repeat(Shell& shell, std::uint64_t times, Move move) {
    Stop stop;
    std::uint64_t target_stops = 0;
    for (std::uint64_t i = 0; i < times; ++i) {
        stop = move();
        target_stops += stop.target_stops;
        bool goes_on = stop.reason == StopReason::stepped && stop.breakpoints.empty();
        if (!goes_on) break;
    }
    stop.target_stops = target_stops;
    shell.show_stop(stop);
}

struct StepRequest {
    bool by_instruction = false;
    std::uint64_t times = 1;
};

StepRequest read_step(std::string_view arguments, std::string_view command) {
    StepRequest request;
    for (std::string_view rest = arguments; !trimmed(rest).empty();) {
        std::string_view word = take_word(rest);
        if (word == "insn") {
            request.by_instruction = true;
        } else if (auto number = whole_number(word); number && *number > 0) {
            request.times = *number;
        } else {
            throw RequestError(fmt::format("{} understands a number of times and the word insn, not {}", std::string(command), quote(word)));
        }
    }
    return request;
}

}  // namespace

void run_launch(Shell& shell, std::string_view arguments) {
    std::vector<std::string> words = shell_words(arguments), kept;
    std::string input = shell.session().launch_options().input_file, output = shell.session().launch_options().output_file;
    bool redirects = false;
    for (std::size_t i = 0; i < words.size(); ++i) {
        std::string& word = words[i];
        bool is_input = word.starts_with("<"), is_output = word.starts_with(">");
        if (!is_input && !is_output) {
            kept.push_back(word);
            continue;
        }
        std::string file = word.substr(1);
        if (file.empty() && i + 1 < words.size()) file = words[++i];
        if (file.empty()) throw RequestError(fmt::format("a file is missing after {}", word));
        (is_input ? input : output) = file;
        redirects = true;
    }
    if (redirects) shell.session().set_redirections(input, output);
    shell.tracker().forget();
    bool keeps_arguments = kept.empty();
    shell.show_stop(keeps_arguments ? shell.session().launch_again() : shell.session().launch(std::move(kept)));
}

void run_restart(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "restart");
    if (!shell.session().has_run()) throw RequestError("the program has not been started yet", "launch starts it");
    shell.tracker().forget();
    shell.show_stop(shell.session().launch_again());
}

void run_continue(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "continue");
    shell.show_stop(shell.session().continue_running());
}

void run_over(Shell& shell, std::string_view arguments) {
    StepRequest request = read_step(arguments, "over");
    Session& session = shell.session();
    if (request.by_instruction) repeat(shell, request.times, [&] { return session.over_instruction(); });
    else repeat(shell, request.times, [&] { return session.over_line(); });
}

void run_into(Shell& shell, std::string_view arguments) {
    StepRequest request = read_step(arguments, "into");
    Session& session = shell.session();
    if (request.by_instruction) repeat(shell, request.times, [&] { return session.into_instruction(); });
    else repeat(shell, request.times, [&] { return session.into_line(); });
}

void run_out(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "out");
    shell.show_stop(shell.session().out());
}

void run_reach(Shell& shell, std::string_view arguments) {
    Session& session = shell.session();
    Place place = session.place(arguments);
    if (!session.is_running()) {
        shell.tracker().forget();
        // A place that is nowhere is refused before the program is started for it.
        resolve_place(place, session.context());
    }
    shell.show_stop(session.reach(place));
}

}  // namespace lantern::cli
