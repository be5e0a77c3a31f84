#include "cli/work.h"

#include <fmt/format.h>
#include <langinfo.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <functional>
#include <iostream>
#include <set>

#include "cli/advice_text.h"
#include "cli/compare_run.h"
#include "cli/diagnosis_run.h"
#include "cli/ending.h"
#include "cli/file_reports.h"
#include "cli/heap_options.h"
#include "cli/heap_run.h"
#include "cli/kept_input.h"
#include "cli/kept_report.h"
#include "cli/launching.h"
#include "cli/log.h"
#include "cli/options.h"
#include "cli/piped_lines.h"
#include "cli/progress.h"
#include "cli/prompt.h"
#include "cli/protocol/borrowed_terminal.h"
#include "cli/protocol/serve.h"
#include "cli/settings.h"
#include "cli/settings_page.h"
#include "cli/shell.h"
#include "cli/views/comparison_page.h"
#include "cli/views/diagnosis.h"
#include "cli/views/json.h"
#include "cli/views/text.h"
#include "core/analysis/diagnosis.h"
#include "core/analysis/doubtful_names.h"
#include "core/analysis/heap_history_report.h"
#include "core/comparison/parted_stop.h"
#include "core/session/sanitizer_reports.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/target/event_loop.h"

namespace lantern::cli {
namespace {

Style style_for(int descriptor) {
    Style style;
    bool terminal = isatty(descriptor);
    const char* no_colour = std::getenv("NO_COLOR");
    const char* type = std::getenv("TERM");
    style.colour = terminal && !(no_colour && *no_colour) && type && std::strcmp(type, "dumb") != 0;
    winsize size{};
    if (terminal && ioctl(descriptor, TIOCGWINSZ, &size) == 0 && size.ws_col >= 40)
        style.width = size.ws_col;
    style.folds = terminal;
    return style;
}

LaunchOptions launch_options(const Options& options, bool commands_on_input) {
    LaunchOptions launch;
    launch.program = options.program;
    launch.arguments = options.arguments;
    launch.environment = environment_with(options.environment);
    launch.folder = absolute(options.folder);
    launch.input_file = absolute(options.input_file);
    launch.output_file = absolute(options.output_file);
    if (commands_on_input && launch.input_file.empty() && !options.own_terminal)
        launch.input_file = "/dev/null";
    launch.output_to_error = options.format == Format::json;
    launch.randomise_addresses = options.randomise;
    if (options.heap) {
        HeapWish wish = *options.heap;
        wish.library = heap_library();
        put_heap_library_in_front(launch, wish);
    }
    return launch;
}

// At a prompt the user is asked before the first call of each function.
std::function<bool(const std::string&)> ask_before_calls() {
    return [allowed = std::set<std::string>()](const std::string& name) mutable {
        if (allowed.count(name)) return true;
        std::fputs(fmt::format("this runs {} in the program. Run it? yes or no: ",
                               escape_for_display(name))
                       .c_str(),
                   stdout);
        std::fflush(stdout);
        std::string answer;
        std::getline(std::cin, answer);
        if (trimmed(answer) != "yes") return false;
        allowed.insert(name);
        return true;
    };
}

// Text stops at the first that fails, as a script does. In JSON somebody reads each answer and
// decides: it goes on.
bool run_piped(Shell& shell) {
    bool good = true, goes_on = shell.output().format() == Format::json;
    unsigned number = 0;
    PipedLines lines(shell);
    for (std::string line; !shell.wants_to_quit() && lines.next(line);) {
        ++number;
        std::string text(trimmed(line));
        if (text.empty() || text.starts_with('#')) continue;
        shell.output().show_command(shell.prompt(), text);
        bool worked = shell.execute_from(text, "standard input", number);
        shell.output().show_answer(number, text, worked);
        good = good && worked;
        if (worked || goes_on) continue;
        shell.tell_unplayed(lines.waiting(), "standard input");
        return false;
    }
    return good;
}

bool run_commands(Shell& shell, const Options& options) {
    for (const std::string& script : options.scripts)
        if (!shell.wants_to_quit() && !shell.play(script)) return false;
    std::size_t left = options.commands.size();
    for (const std::string& command : options.commands) {
        if (shell.wants_to_quit()) break;
        --left;
        shell.output().show_command(shell.prompt(), command);
        if (shell.execute(command)) continue;
        shell.tell_unplayed(left, "--do");
        return false;
    }
    return true;
}

int run_diagnosis(const Options& options, Output& output) {
    Settings settings = read_settings(settings_file());
    auto session =
        options.core.empty()
            ? std::make_unique<Session>(launch_options(options, false), options.source_map,
                                        symbol_search(options, settings))
            : std::make_unique<Session>(CoreRequest{options.core, options.program},
                                        options.source_map, symbol_search(options, settings));
    session->libraries().folders = settings.library_folders;
    Diagnosis report = options.core.empty() ? diagnosis_of_run(*session, options.hang_after)
                                            : diagnose(session->moment());
    if (options.confirm && report.has_failed) confirm(*session, report, options.confirm);
    output.show(report);
    if (!options.record_folder.empty())
        keep_report(report, diagnosis_page(report), options.record_folder, "diagnosis", output);
    return report.has_failed ? kCommandFailed : kWorked;
}

// A place that the program itself does not have may come with a library.
void guard_named_births(Session& session, const Options& options, Output& output) {
    if (!options.heap) return;
    for (const std::string& missing : session.guard_births_at(options.heap->guard_places))
        output.show(Notice{Notice::Kind::warning,
                           missing + ": blocks are guarded for it once a library brings it"});
}

int run_heap_report(const Options& options, Output& output) {
    Settings settings = read_settings(settings_file());
    Session session(launch_options(options, false), options.source_map,
                    symbol_search(options, settings));
    session.libraries().folders = settings.library_folders;
    guard_named_births(session, options, output);
    HeapRunReport report = heap_report_of_run(session);
    output.show(report);
    if (!options.record_folder.empty()) keep_heap_report(report, options.record_folder, output);
    return report.has_failed() ? kCommandFailed : kWorked;
}

// Scripts and commands, then the prompt, on a session that is open.
int converse(Session& session, const Options& options, const Settings& settings,
             bool commands_on_input, Output& output) {
    bool scripted = !options.scripts.empty() || !options.commands.empty();
    session.presentation().views = DeclaredViews(settings.views);
    bool at_a_prompt = !scripted && !commands_on_input && isatty(0);
    if (options.allow_calls)
        session.allow_calls([](const std::string&) { return true; });
    else if (at_a_prompt)
        session.allow_calls(ask_before_calls());
    session.ask_for_doubts(doubt_of_what_is_read);
    session.presentation().source_lines = settings.source_lines;
    session.presentation().wants_code_parts = output.style().colour;
    log_line("session on " + session.program());
    Shell shell(session, output);
    auto subscription =
        session.subscribe([&shell](const SessionEvent& event) { shell.tell(event); });
    shell.syntax = settings.att_syntax ? Syntax::att : Syntax::intel;
    shell.own_words = settings.words;
    shell.records_path = options.records;
    show_first_notices(shell);
    show_what_a_core_lacks(shell);
    if (session.was_attached() || session.core() || session.has_run())
        shell.show_stop(session.last_stop());
    bool good = run_commands(shell, options);
    if (!shell.wants_to_quit() && (!scripted || (options.stay && good))) {
        if (commands_on_input)
            good = run_piped(shell) && good;
        else
            run_prompt(shell);
    }
    return good ? kWorked : kCommandFailed;
}

// One side of a comparison: what both get, and what is this one's alone.
LaunchOptions launch_of_side(const Options& options, unsigned side) {
    Options own = options;
    const CompareWish::Side& wish = options.compare.sides[side];
    own.program = options.surveyed[std::min<std::size_t>(side, options.surveyed.size() - 1)];
    own.environment.insert(own.environment.end(), wish.environment.begin(), wish.environment.end());
    if (wish.input_file) own.input_file = *wish.input_file;
    if (wish.arguments) own.arguments = *wish.arguments;
    bool has_input = options.compare.runs && !isatty(0);
    if (own.input_file.empty()) own.input_file = has_input ? kept_input() : "/dev/null";
    LaunchOptions launch = launch_options(own, false);
    launch.program = absolute(own.program);
    launch.called = absolute(options.surveyed[0]);
    const std::string& folder = options.record_folder;
    std::string base = folder.empty() ? "" : absolute(folder) + (side ? "/b" : "/a");
    launch.output_file = base.empty() ? "/dev/null" : base + ".output.txt";
    launch.error_file = base.empty() ? "/dev/null" : base + ".errors.txt";
    return launch;
}

// Both sides in one session, A as process 1 and B as process 2, each where the runs part.
int stay_where_they_part(const Compared& compared, const Options& options, const Settings& settings,
                         Output& output) {
    const Parting& parting = compared.run.partings.main();
    Session session(launch_as_walked(compared.request, 0), options.source_map,
                    compared.request.search);
    session.libraries().folders = settings.library_folders;
    for (unsigned side : {0u, 1u}) {
        if (side == 1) session.open_beside(launch_as_walked(compared.request, 1));
        if (!go_to_event(session, compared.run, side,
                         event_to_look_at(compared.run, parting, side)))
            output.show(Notice{
                Notice::Kind::warning,
                fmt::format("{} did not come there when it was run once more", side ? "B" : "A")});
    }
    if (session.processes().size() > 1) session.select_process(1);
    output.show(Notice{Notice::Kind::done,
                       "A is process 1, B is process 2: process N goes from one to the other, and "
                       "each moves alone"});
    bool scripted = !options.scripts.empty() || !options.commands.empty();
    return converse(session, options, settings, !scripted && !isatty(0), output);
}

int run_comparison(const Options& options, Output& output) {
    Settings settings = read_settings(settings_file());
    BuildComparisonRequest builds;
    PairedRunRequest runs;
    builds.search = runs.search = symbol_search(options, settings);
    builds.libraries.folders = runs.libraries.folders = settings.library_folders;
    builds.functions = runs.functions = options.compare.functions;
    builds.progress = work_progress("comparing the builds");
    if (!options.record_folder.empty()) std::filesystem::create_directories(options.record_folder);
    for (unsigned side : {0u, 1u}) {
        runs.launch[side] = launch_of_side(options, side);
        builds.programs[side] = runs.launch[side].program;
    }
    runs.within = options.compare.within;
    runs.thread = options.compare.thread;
    runs.runs_again = !options.compare.once;
    Compared compared = compare_programs(
        builds, options.compare.runs ? std::optional(runs) : std::nullopt, options.source_map);
    output.show(compared.report);
    if (!options.record_folder.empty())
        keep_report(compared.report, comparison_page(compared.report), options.record_folder,
                    "comparison", output);
    bool have_parted = compared.report.walk && compared.report.walk->have_parted();
    if (options.stay && compared.report.walk && compared.report.walk->first)
        return stay_where_they_part(compared, options, settings, output);
    return have_parted ? kCommandFailed : kWorked;
}

int show_settings(Output& output) {
    output.show(settings_page(settings_file()));
    return kWorked;
}

std::unique_ptr<Session> open_session(const Options& options, bool commands_on_input,
                                      SymbolSearch search) {
    switch (options.work) {
        case Options::Work::attach:
            return std::make_unique<Session>(options.process, options.source_map,
                                             std::move(search));
        case Options::Work::postmortem:
            return std::make_unique<Session>(CoreRequest{options.core, options.program},
                                             options.source_map, std::move(search));
        default:
            return std::make_unique<Session>(launch_options(options, commands_on_input),
                                             options.source_map, std::move(search));
    }
}

// The record has what the program writes, where that need not go to a terminal.
void keep_program_output(Options& options, Output& output) {
    bool is_launched = options.work == Options::Work::debug && !options.own_terminal;
    bool goes_to_terminal = isatty(options.format == Format::json ? 2 : 1);
    if (!options.output_file.empty()) {
        output.follow_program_output(std::filesystem::absolute(options.output_file));
    } else if (is_launched && !options.record_folder.empty() && !goes_to_terminal) {
        options.output_file =
            (std::filesystem::path(options.record_folder) / "output.txt").string();
        output.pass_on_program_output(std::filesystem::absolute(options.output_file));
    }
}

}  // namespace

int work_by(const Options& asked) {
    Options options = asked;
    bool utf8 = std::strcmp(nl_langinfo(CODESET), "UTF-8") == 0;
    Output output(options.format, style_for(1), !utf8);
    try {
        start_log(options.log_file);
        if (options.work == Options::Work::survey) return run_survey(options, output);
        if (options.work == Options::Work::diagnose) return run_diagnosis(options, output);
        if (options.work == Options::Work::heap) return run_heap_report(options, output);
        if (options.work == Options::Work::compare) return run_comparison(options, output);
        if (options.work == Options::Work::disassembly) return run_disassembly(options, output);
        if (options.work == Options::Work::became) return run_became(options, output);
        if (options.work == Options::Work::settings) return show_settings(output);
        if (options.work == Options::Work::serve)
            return options.hold_terminal.empty() ? serve(options.port)
                                                 : hold_terminal(options.hold_terminal);
        if (!options.program.empty())
            output.set_title("A session with " +
                             std::filesystem::path(options.program).filename().string());
        if (!options.record_folder.empty()) output.keep_record(options.record_folder);
        keep_program_output(options, output);
        if (isatty(0)) output.want_stacks();
        bool scripted = !options.scripts.empty() || !options.commands.empty();
        bool commands_on_input = (!scripted || options.stay) && !isatty(0);
        Settings settings = read_settings(settings_file());
        auto opened = open_session(options, commands_on_input, symbol_search(options, settings));
        Session& session = *opened;
        session.libraries().folders = settings.library_folders;
        if (options.own_terminal)
            session.give_own_terminal(
                scripted || commands_on_input ? -1 : 0,
                [&output](std::string_view bytes) { output.show_terminal(bytes); });
        if (options.heap) {
            guard_named_births(session, options, output);
            Breakpoint faults;
            faults.cause = Cause::heap;
            session.add_breakpoint(faults, true);
        }
        if (!session.core())
            if (std::string news = heed_sanitizer(session); !news.empty())
                output.show(Notice{Notice::Kind::done, std::move(news)});
        int status = converse(session, options, settings, commands_on_input, output);
        output.end_record();
        if (!options.record_folder.empty()) write_folder_index(options.record_folder);
        return status;
    } catch (const Error& error) {
        output.show(Failure{error.what(), advice_text(error.advice()), 0, "", "", 0});
        return kNotReadable;
    }
}

}  // namespace lantern::cli
