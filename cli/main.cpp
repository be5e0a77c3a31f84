// elm-lantern: reads the arguments, opens the session and hands it to scripts or the prompt.
#include <fmt/format.h>
#include <langinfo.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <clocale>
#include <cstdlib>
#include <cstring>
#include <iostream>

#include "cli/log.h"
#include "cli/options.h"
#include "cli/prompt.h"
#include "cli/shell.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr int kWorked = 0, kCommandFailed = 1, kNotReadable = 3;

Style style_for(int descriptor) {
    Style style;
    bool terminal = isatty(descriptor);
    const char* no_colour = std::getenv("NO_COLOR");
    const char* type = std::getenv("TERM");
    style.colour = terminal && !(no_colour && *no_colour) && type && std::strcmp(type, "dumb") != 0;
    winsize size{};
    if (terminal && ioctl(descriptor, TIOCGWINSZ, &size) == 0 && size.ws_col >= 40) style.width = size.ws_col;
    return style;
}

std::vector<std::string> environment_with(const std::vector<std::string>& settings) {
    std::vector<std::string> all;
    for (char** entry = environ; *entry; ++entry) {
        std::string_view existing(*entry);
        bool replaced = false;
        for (const std::string& setting : settings) {
            std::size_t name = setting.find('=') + 1;
            replaced |= existing.substr(0, name) == std::string_view(setting).substr(0, name);
        }
        if (!replaced) all.emplace_back(existing);
    }
    all.insert(all.end(), settings.begin(), settings.end());
    return all;
}

// Paths are given from where the user is, and the program may start elsewhere.
std::string absolute(const std::string& path) {
    return path.empty() ? path : std::filesystem::absolute(path).lexically_normal().string();
}

LaunchOptions launch_options(const Options& options, bool commands_on_input) {
    LaunchOptions launch;
    launch.program = options.program;
    launch.arguments = options.arguments;
    launch.environment = environment_with(options.environment);
    launch.folder = absolute(options.folder);
    launch.input_file = absolute(options.input_file);
    launch.output_file = absolute(options.output_file);
    if (commands_on_input && launch.input_file.empty()) launch.input_file = "/dev/null";
    launch.output_to_error = options.format == Format::json;
    launch.randomise_addresses = options.randomise;
    return launch;
}

// Commands that come through a pipe: like a script, but each failure is only told.
bool run_piped(Shell& shell) {
    bool good = true;
    unsigned number = 0;
    for (std::string line; !shell.wants_to_quit() && std::getline(std::cin, line);) {
        ++number;
        std::string text(trimmed(line));
        if (text.empty() || text.starts_with('#')) continue;
        shell.output().show_command(shell.prompt(), text);
        if (!shell.execute_from(text, "standard input", number)) return false;
    }
    return good;
}

bool run_commands(Shell& shell, const Options& options) {
    for (const std::string& script : options.scripts)
        if (!shell.wants_to_quit() && !shell.play(script)) return false;
    for (const std::string& command : options.commands) {
        if (shell.wants_to_quit()) break;
        shell.output().show_command(shell.prompt(), command);
        if (!shell.execute(command)) return false;
    }
    return true;
}

int run(const Options& options) {
    bool utf8 = std::strcmp(nl_langinfo(CODESET), "UTF-8") == 0;
    Output output(options.format, style_for(1), !utf8);
    try {
        start_log(options.log_file);
        if (!options.record_folder.empty()) output.keep_record(options.record_folder);
        bool scripted = !options.scripts.empty() || !options.commands.empty();
        bool commands_on_input = (!scripted || options.stay) && !isatty(0);
        Session session(launch_options(options, commands_on_input), options.source_map);
        log_line("session on " + session.program());
        Shell shell(session, output);
        show_first_notices(shell);
        bool good = run_commands(shell, options);
        if (!shell.wants_to_quit() && (!scripted || (options.stay && good))) {
            if (commands_on_input) good = run_piped(shell) && good;
            else run_prompt(shell);
        }
        return good ? kWorked : kCommandFailed;
    } catch (const Error& error) {
        output.show(Failure{error.what(), error.advice(), 0, "", "", 0});
        return kNotReadable;
    }
}

}  // namespace
}  // namespace lantern::cli

int main(int count, char** arguments) {
    std::setlocale(LC_ALL, "");
    std::setlocale(LC_NUMERIC, "C");
    lantern::cli::Options options;
    if (auto answer = lantern::cli::read_options(count, arguments, options)) {
        std::fputs(answer->text.c_str(), answer->exit_status ? stderr : stdout);
        return answer->exit_status;
    }
    return lantern::cli::run(options);
}
