// launch, restart, continue, wait, over, into, out, reach, divert, leave, release, reload
#include <fmt/format.h>

#include <cstdlib>
#include <functional>

#include "cli/commands/command.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/target/process_state.h"

namespace lantern::cli {
namespace {

struct StepRequest {
    StepOptions wish;
    bool by_instruction = false;
    bool out_of_loop = false;
    std::uint64_t times = 1;
    std::optional<double> pace;  // seconds between the steps, each told
    bool meanwhile = false;
};

// Takes " meanwhile" off the end.
bool take_meanwhile(std::string_view& arguments) {
    constexpr std::string_view kWord = "meanwhile";
    std::string_view text = trimmed(arguments);
    if (!text.ends_with(kWord) ||
        (text.size() > kWord.size() && text[text.size() - kWord.size() - 1] != ' '))
        return false;
    arguments = trimmed(text.substr(0, text.size() - kWord.size()));
    return true;
}

// Does the movement and shows where it ended; or sets it going, and the prompt stays.
void do_movement(Shell& shell, bool meanwhile, std::function<Stop()> movement) {
    if (!meanwhile && !shell.moves_meanwhile) return shell.show_stop(movement());
    if (auto stop = shell.session().begin_meanwhile(std::move(movement)))
        return shell.show_stop(*stop);
    if (meanwhile)
        shell.show(
            Notice{Notice::Kind::done,
                   "the program runs; pause stops it, wait waits until something else does"});
}

double seconds_of(std::string_view word) {
    std::string text(word);
    if (text.ends_with('s')) text.pop_back();
    char* end = nullptr;
    double seconds = std::strtod(text.c_str(), &end);
    if (text.empty() || *end || seconds < 0 || seconds > 60)
        throw RequestError(
            fmt::format("a number of seconds up to 60 is needed, not {}", quote(word)),
            "over 20 pace 0.5, for example");
    return seconds;
}

StepRequest read_step(std::string_view arguments, std::string_view command) {
    StepRequest request;
    request.meanwhile = take_meanwhile(arguments);
    for (std::string_view rest = arguments; !trimmed(rest).empty();) {
        std::string_view word = take_word(rest);
        if (word == "insn") {
            request.by_instruction = true;
        } else if (word == "alone") {
            request.wish.alone = true;
        } else if (word == "anyway" && command == "into") {
            request.wish.anyway = true;
        } else if (word == "pace") {
            request.pace = seconds_of(take_word(rest));
        } else if (auto number = whole_number(word); number && *number > 0) {
            request.times = *number;
        } else if (command == "into" && !whole_number(word) && request.wish.into.empty()) {
            request.wish.into = word;
        } else {
            throw RequestError(fmt::format("{} understands a number of times and the words insn, "
                                           "alone and pace SECONDS, not {}",
                                           std::string(command), quote(word)),
                               fmt::format("help {}", std::string(command)));
        }
    }
    if (request.meanwhile && request.pace)
        throw RequestError("a pace is for watching, and meanwhile for doing something else",
                           "leave one of them out");
    return request;
}

void launch(Shell& shell) {
    shell.output().forget_program_output();
    Session& session = shell.session();
    if (!shell.moves_meanwhile) return shell.show_stop(session.launch_again());
    session.start();
    do_movement(shell, true, [&session] { return session.continue_running(); });
}

void repeat(Shell& shell, const StepRequest& request, std::function<Stop()> move) {
    do_movement(shell, request.meanwhile, [&shell, request, move = std::move(move)] {
        return shell.session().repeat(request.times, move, [&](const Stop& stop) {
            if (!request.pace) return true;
            shell.show_step(stop);
            return shell.session().sleep(*request.pace);
        });
    });
}

}  // namespace

void run_launch(Shell& shell, std::string_view arguments) {
    std::vector<std::string> words = shell_words(arguments), kept;
    std::string input = shell.session().launch_options().input_file,
                output = shell.session().launch_options().output_file;
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
    if (!kept.empty()) shell.session().set_arguments(std::move(kept));
    launch(shell);
}

void run_restart(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "restart");
    if (!shell.session().has_run())
        throw RequestError("the program has not been started yet", "launch starts it");
    launch(shell);
}

void run_continue(Shell& shell, std::string_view arguments) {
    StepOptions wish;
    bool meanwhile = take_meanwhile(arguments);
    for (std::string_view rest = arguments; !trimmed(rest).empty();) {
        std::string_view word = take_word(rest);
        if (word == "alone")
            wish.alone = true;
        else
            throw RequestError(
                fmt::format("continue understands the words alone and meanwhile, not {}",
                            quote(word)),
                "help continue");
    }
    do_movement(shell, meanwhile,
                [&session = shell.session(), wish] { return session.continue_running(wish); });
}

void run_wait(Shell& shell, std::string_view arguments) {
    if (trimmed(arguments).empty()) return shell.show_stop(shell.session().wait());
    double seconds = seconds_of(trimmed(arguments));
    if (auto stop = shell.session().wait_at_most(seconds)) return shell.show_stop(*stop);
    shell.show(Notice{Notice::Kind::done,
                      fmt::format("the program still runs after {} s; pause stops it", seconds)});
}

void run_over(Shell& shell, std::string_view arguments) {
    StepRequest request = read_step(arguments, "over");
    Session& session = shell.session();
    if (request.by_instruction)
        repeat(shell, request,
               [&session, request] { return session.over_instruction(request.wish); });
    else
        repeat(shell, request, [&session, request] { return session.over_line(request.wish); });
}

void run_into(Shell& shell, std::string_view arguments) {
    StepRequest request = read_step(arguments, "into");
    Session& session = shell.session();
    if (request.by_instruction)
        repeat(shell, request, [&session] { return session.into_instruction(); });
    else
        repeat(shell, request, [&session, request] { return session.into_line(request.wish); });
}

void run_out(Shell& shell, std::string_view arguments) {
    bool meanwhile = take_meanwhile(arguments);
    Session& session = shell.session();
    if (trimmed(arguments) == "loop")
        return do_movement(shell, meanwhile, [&session] { return session.out_of_loop(); });
    refuse_arguments(arguments, "out");
    do_movement(shell, meanwhile, [&session] { return session.out(); });
}

void run_divert(Shell& shell, std::string_view arguments) {
    Session& session = shell.session();
    std::string warning = session.divert(session.place(arguments));
    shell.show_stop(session.last_stop());
    if (!warning.empty()) shell.show(Notice{Notice::Kind::warning, warning});
}

void run_leave(Shell& shell, std::string_view arguments) {
    shell.show_stop(shell.session().leave(trimmed(arguments)));
}

void run_release(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "release");
    pid_t process = shell.session().process_id();
    shell.session().release();
    std::string left =
        stays_stopped_by_signal(process)
            ? fmt::format(
                  "process {0} is without us, and still stopped by a signal: kill -CONT "
                  "{0} lets it go on. Its code is as it was",
                  process)
            : fmt::format("process {} runs on without us; its code is as it was", process);
    shell.show(Notice{Notice::Kind::done, left});
}

void run_reload(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "reload");
    for (const std::string& news : shell.session().reload())
        shell.show(Notice{Notice::Kind::done, news});
}

void run_reach(Shell& shell, std::string_view arguments) {
    Session& session = shell.session();
    bool meanwhile = take_meanwhile(arguments);
    Place place = session.place(arguments);
    if (meanwhile && !session.is_running())
        throw RequestError("the program is not running", "launch starts it");
    if (!session.is_running())
        resolve_place(place, session.context());  // one that is nowhere is refused before the
                                                  // program is started for it
    do_movement(shell, meanwhile, [&session, place] { return session.reach(place); });
}

}  // namespace lantern::cli
