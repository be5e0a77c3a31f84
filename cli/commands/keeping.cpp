// save, play, help, quit
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "cli/commands/command.h"
#include "cli/commands/examples.h"
#include "cli/commands/short_words.h"
#include "cli/saved_file.h"
#include "cli/views/page.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

bool is_savable(std::string_view word) {
    for (std::string_view view :
         {"locals",    "globals",     "stack",  "source",  "breakpoints", "value",     "find",
          "pin",       "help",        "notes",  "threads", "signals",     "explain",   "type",
          "registers", "disassembly", "memory", "regions", "words",       "processes", "heap",
          "became",    "diagnose",    "draw",   "plot",    "pins"})
        if (view == word) return true;
    return false;
}

// A field of a table as RFC 4180 has it.
std::string field(const std::string& text) {
    if (text.find_first_of(",\"\n\r") == std::string::npos) return text;
    std::string out = "\"";
    for (char c : text) out += c == '"' ? "\"\"" : std::string(1, c);
    return out + "\"";
}

// One row for each note, one column for each expression; where a note has none of an expression,
// the field is empty.
void save_table(Shell& shell, const std::string& view, const std::filesystem::path& path) {
    if (view != "notes")
        throw RequestError(fmt::format("{} is no table", view),
                           "save notes as FILE.csv; other views end in .txt or .json");
    Session& session = shell.session();
    std::vector<std::pair<unsigned, std::string>> columns;
    for (const Breakpoint& breakpoint : session.breakpoints())
        for (const std::string& expression : breakpoint.noted)
            columns.emplace_back(breakpoint.number, expression);
    bool is_of_several = session.notes().is_of_several_processes();
    std::string table =
        is_of_several ? "seconds,process,thread,note,hit" : "seconds,thread,note,hit";
    for (const auto& [note, expression] : columns) table += "," + field(expression);
    table += "\n";
    for (const NoteRow& row : session.notes().rows()) {
        table += fmt::format("{:.6f},{}{},{},{}", row.seconds,
                             is_of_several ? fmt::format("{},", std::max(row.process, 1u)) : "",
                             row.thread, row.note, row.hit);
        std::size_t index = 0;
        for (const auto& [note, expression] : columns) {
            bool has_value = note == row.note && index < row.values.size();
            table += "," + (has_value ? field(noted_text(row.values[index++])) : "");
        }
        table += "\n";
    }
    write_whole_file(path, table);
    shell.show(Notice{Notice::Kind::done,
                      fmt::format("{} saved as {}", counted(session.notes().rows().size(), "note"),
                                  path.string())});
}

void save_session(Shell& shell, std::string_view rest, const std::filesystem::path& path) {
    refuse_arguments(rest, "save session as FILE.html");
    if (path.extension() != ".html")
        throw RequestError(fmt::format("a session is saved as a page, not as {}", path.string()),
                           "save session as session.html; --out DIR keeps it as text and JSON too");
    shell.output().save_page(path);
    shell.show(
        Notice{Notice::Kind::done, fmt::format("the session so far saved as {}", path.string())});
}

}  // namespace

void run_save(Shell& shell, std::string_view arguments) {
    std::size_t at = arguments.rfind(" as ");
    if (at == std::string_view::npos)
        throw RequestError("save needs VIEW as FILE", "save locals as locals.json, for example");
    std::string view(trimmed(arguments.substr(0, at)));
    auto files = shell_words(arguments.substr(at + 4));
    if (files.size() != 1) throw RequestError("save needs the name of one file after 'as'");
    std::filesystem::path path(files[0]);
    bool json = path.extension() == ".json", is_page = path.extension() == ".html",
         csv = path.extension() == ".csv";
    std::string_view what = view;
    std::string_view first = take_word(what);
    if (first == "core") return save_core(shell, path.string());
    if (first == "session") return save_session(shell, what, path);
    bool is_figure = path.extension() == ".svg" || path.extension() == ".png";
    if (is_figure && first == "words") return save_words_figure(shell, what, path);
    if (is_figure && first == "explain") return save_life_figure(shell, what, path);
    if (is_figure && first == "heap") return save_heap_figure(shell, what, path);
    if (is_figure)
        throw RequestError(fmt::format("{} is not drawn", first),
                           "save words as FILE.svg draws a stack frame, save explain NAME as "
                           "FILE.svg where a variable lives, save heap path ADDRESS as FILE.svg "
                           "what keeps a block; plot as FILE.svg what was noted");
    if (csv) return save_table(shell, view, path);
    if (!json && !is_page && path.extension() != ".txt")
        throw RequestError(fmt::format("{} has no ending that picks a form", quote(files[0])),
                           "end it in .txt, .json or .html");
    std::string_view rest =
        view.starts_with("=") ? std::string_view("value") : std::string_view(view);
    const Command& command = find_command(take_word(rest));
    if (!is_savable(command.word))
        throw RequestError(
            fmt::format("{} is no view that can be saved", std::string(command.word)),
            "save locals, stack, source, breakpoints, globals, find or value");
    bool whole_notes = command.word == "notes" && trimmed(rest).empty();
    std::string_view view_arguments = whole_notes             ? "all"
                                      : view.starts_with("=") ? std::string_view(view).substr(1)
                                                              : rest;
    shell.output().start_capture();
    Output::Captured captured;
    try {
        command.run(shell, view_arguments);
        captured = shell.output().end_capture();
    } catch (...) {
        shell.output().end_capture();
        throw;
    }
    write_whole_file(path, json      ? captured.json
                           : is_page ? page_of_text(view, captured.styled)
                                     : captured.text);
    shell.show(Notice{Notice::Kind::done, fmt::format("{} saved as {}", view, path.string())});
}

void run_play(Shell& shell, std::string_view arguments) {
    auto files = shell_words(arguments);
    if (files.size() != 1) throw RequestError("play needs the name of one file");
    if (!shell.play(files[0]))
        throw RequestError(fmt::format("{} stopped at a command that failed", files[0]));
}

namespace {

constexpr std::string_view kToBeginWith[] = {"source", "pause", "launch",   "over",
                                             "into",   "out",   "continue", "locals",
                                             "value",  "stack", "help",     "quit"};

std::string_view short_word_of(std::string_view command) {
    for (const ShortWord& each : short_words())
        if (each.stands_for.substr(0, each.stands_for.find(' ')) == command) return each.word;
    return {};
}

HelpEntry entry_for(const Command& command) {
    std::string_view short_word = short_word_of(command.word);
    return {short_word.empty() ? std::string(command.word)
                               : fmt::format("{} ({})", command.word, short_word),
            std::string(command.summary)};
}

}  // namespace

void run_help(Shell& shell, std::string_view arguments) {
    HelpReport report;
    if (std::string_view word = trimmed(arguments); !word.empty()) {
        const Command& command = find_command(word == "=" ? "value" : word);
        report.title = std::string(command.usage);
        report.text =
            fmt::format("{}.\n{}", command.summary,
                        command.details.empty() ? "" : "\n" + std::string(command.details));
        HelpReport::Group by_hand{"", {}};
        if (std::string_view short_word = short_word_of(command.word); !short_word.empty())
            by_hand.entries.push_back({"in short", std::string(short_word)});
        by_hand.entries.push_back({"example", std::string(example_of(command.word))});
        report.groups.push_back(std::move(by_hand));
        return shell.show(report);
    }
    report.title = "commands";
    report.text =
        "Any beginning that is unambiguous will do, and the short words in brackets; Tab "
        "completes; an empty line repeats the last movement.";
    HelpReport::Group first{"to begin with", {}};
    for (std::string_view word : kToBeginWith)
        first.entries.push_back(entry_for(find_command(word)));
    report.groups.push_back(std::move(first));
    for (const Command& command : commands()) {
        if (std::ranges::find(kToBeginWith, command.word) != std::end(kToBeginWith)) continue;
        if (report.groups.back().title != command.group)
            report.groups.push_back({std::string(command.group), {}});
        report.groups.back().entries.push_back(entry_for(command));
    }
    HelpReport::Group own{"your own words", {}};
    for (const auto& [word, command] : shell.own_words) own.entries.push_back({word, command});
    if (!own.entries.empty()) report.groups.push_back(std::move(own));
    shell.show(report);
}

void run_quit(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "quit");
    shell.quit();
}

}  // namespace lantern::cli
