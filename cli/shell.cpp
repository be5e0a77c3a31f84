#include "cli/shell.h"

#include <fmt/format.h>

#include <filesystem>
#include <fstream>

#include "cli/advice_text.h"
#include "cli/commands/command.h"
#include "cli/log.h"
#include "cli/views/own_reports.h"
#include "core/analysis/disassembly_report.h"
#include "core/analysis/stack_report.h"
#include "core/analysis/stop_report.h"
#include "core/expressions/syntax.h"
#include "core/support/error.h"
#include "core/support/guarded_mapping.h"
#include "core/support/text.h"
#include "core/target/core_file.h"

namespace lantern::cli {
namespace {

constexpr unsigned kDeepestScript = 16;

std::string program_name(Session& session) {
    return escape_for_display(std::filesystem::path(session.program()).filename().string());
}

}  // namespace

void Shell::show_stop(const Stop& stop) {
    listed_file.clear();
    StopReport report = report_stop(session_.moment(), stop, tracker_);
    bool has_value = stop.returned && stop.returned->value.is_available() &&
                     plain(*stop.returned->value.type).kind != TypeKind::nothing;
    if (has_value)
        report.returned_number = session_.presentation().results.add(stop.returned->value);
    show(std::move(report));
    if (output_.wants_stacks()) add_stack();
    if (stop.by_instruction && session_.is_running()) {
        DisassemblyQuery around;
        around.rows_before = 3;
        around.rows_after = 5;
        around.syntax = syntax;
        try {
            show(report_disassembly(session_.moment(), around, session_.breakpoints()));
        } catch (const Error&) {  // the stop has said that there is no code
        }
    }
    if (!session_.has_threads()) return;
    for (const Pin& pin : session_.presentation().pins) {
        if (!is_view_word(pin.text)) continue;
        try {
            find_command(pin.text).run(*this, "");
        } catch (const Error& error) {
            show(Notice{Notice::Kind::warning,
                        fmt::format("pin {} ({}): {}", pin.number, pin.text, error.what())});
        }
    }
}

// For the session's page.
void Shell::add_stack() {
    constexpr unsigned kRows = 12, kMostFrames = 200;  // no stop waits for a deep recursion
    if (!session_.has_threads()) return;
    try {
        output_.add_stack(report_stack(session_.moment(), kRows, kMostFrames));
    } catch (const Error&) {  // there is none
    }
}

void Shell::show_step(const Stop& stop) {
    show(StepLine{report_stop(session_.moment(), stop, tracker_)});
}

std::string Shell::prompt() {
    if (session_.is_moving()) return fmt::format("{}, running › ", program_name(session_));
    if (session_.has_threads()) {
        try {
            if (const Frame* frame = session_.selected_frame()) {
                std::string name = escape_for_display(frame_function_name(*frame));
                return frame->line ? fmt::format("{}:{} › ", name, frame->line->line)
                                   : fmt::format("{} › ", name);
            }
        } catch (const Error&) {  // the prompt must come whatever state the program is in
        }
        return program_name(session_) + " › ";
    }
    return session_.last_stop().is_end() ? fmt::format("{}, ended › ", program_name(session_))
                                         : fmt::format("{} › ", program_name(session_));
}

Failure Shell::failure_of(const std::exception& error, std::string_view line) const {
    Failure failure;
    failure.what = error.what();
    if (auto* ours = dynamic_cast<const Error*>(&error))
        failure.advice = advice_text(ours->advice());
    if (auto* expression = dynamic_cast<const ExpressionError*>(&error)) {
        failure.column = expression->column();
        std::string_view rest = line;
        if (rest.starts_with("="))
            rest.remove_prefix(1);
        else
            take_word(rest);
        // change and keep compute the two sides of their '=' apart: the column then counts in a
        // part of the line, and pointing at it would point at the wrong character.
        bool is_whole = find_assignment(rest) == std::string_view::npos;
        if (!expression->expression().empty())
            failure.expression = expression->expression();
        else if (is_whole)
            failure.expression = std::string(trimmed(rest));
        else
            failure.column = 0;
    }
    return failure;
}

namespace {

std::string sentence(const SessionEvent& event) {
    std::string name = fmt::format("process {} ({})", event.process, event.id);
    if (event.kind == SessionEvent::Kind::process_began)
        return fmt::format("{} has begun: forked by process {} ({})", name, event.parent,
                           event.parent_id);
    if (event.kind == SessionEvent::Kind::process_became)
        return fmt::format("{} has become {}", name, escape_for_display(event.program));
    if (event.end.reason == StopReason::killed)
        return fmt::format("{} was ended by {}", name, signal_name(event.end.signal));
    return fmt::format("{} has ended, exit status {}", name, event.end.exit_code);
}

}  // namespace

void Shell::tell(const SessionEvent& event) {
    Notice notice{Notice::Kind::done, sentence(event)};
    if (holds_news_)
        news_.push_back(std::move(notice));
    else
        show(notice);
}

std::vector<Notice> Shell::take_news() {
    holds_news_ = false;
    return std::exchange(news_, {});
}

namespace {

// What was just shown may have come from bytes that were no longer there.
void refuse_cut_files() {
    if (auto file = take_cut_file())
        throw FileError(
            fmt::format("{} was cut while it was read: what has just been told may be wrong",
                        *file),
            "restore it, and reload; or leave and begin again");
}

}  // namespace

bool Shell::execute_from(std::string_view line, const std::string& script, unsigned number) {
    std::string_view text = trimmed(line);
    if (text.empty() || text.starts_with('#')) return true;
    bool may_fail = text.starts_with('-');
    if (may_fail) text = trimmed(text.substr(1));
    std::string whole = written_out(text, own_words);
    text = whole;
    try {
        std::string_view rest = text;
        const Command* command = nullptr;
        if (text.starts_with('=')) {
            command = &find_command("value");
            rest = trimmed(text.substr(1));
        } else {
            command = &find_command(take_word(rest));
        }
        bool tells_itself = command->word == "wait" || command->word == "pause";
        if (!tells_itself && !session_.is_moving())
            if (auto stop = session_.meanwhile()) show_stop(*stop);
        if (command->is_movement) last_movement_ = std::string(text);
        std::uint64_t movements = session_.movements();
        log_line(fmt::format("command: {}", text));
        try {
            command->run(*this, rest);
        } catch (const Error&) {
            refuse_cut_files();
            throw;
        }
        refuse_cut_files();
        if (session_.movements() != movements)
            log_line(fmt::format("stopped; the target stopped {} times on the way",
                                 session_.last_stop().target_stops));
        bool interrupted = session_.movements() != movements &&
                           session_.last_stop().reason == StopReason::paused &&
                           command->word != "pause";
        if (interrupted && (number || depth_)) {
            // Whoever presses Ctrl-C while a script plays means the script as well.
            show(
                Notice{Notice::Kind::warning, "interrupted: the rest of the script is not played"});
            return false;
        }
        return true;
    } catch (const std::exception& error) {
        Failure failure = failure_of(error, text);
        failure.script = script;
        failure.line = number;
        log_line("failed: " + failure.what);
        show(failure);
        return may_fail;
    }
}

bool Shell::execute(std::string_view line) {
    return execute_from(line, "", 0);
}

bool Shell::play(const std::string& path) {
    if (depth_ >= kDeepestScript)
        throw RequestError(
            fmt::format("{} is played by scripts that play each other without end", path));
    std::ifstream in(path);
    if (!in || std::filesystem::is_directory(path))
        throw FileError(fmt::format("the script {} cannot be read", path), "check the path");
    ++depth_;
    unsigned number = 0;
    bool good = true;
    for (std::string line; good && !quits_ && std::getline(in, line);) {
        ++number;
        std::string_view text = trimmed(line);
        if (text.empty() || text.starts_with('#')) continue;
        output_.show_command(prompt(), std::string(text));
        good = execute_from(text, path, number);
    }
    --depth_;
    std::size_t left = 0;
    for (std::string line; !good && std::getline(in, line);)
        left += !trimmed(line).empty() && !trimmed(line).starts_with('#');
    tell_unplayed(left, path);
    return good;
}

const std::vector<CompilerRecord>& Shell::records() {
    if (!records_)
        records_ = records_path.empty() ? std::vector<CompilerRecord>()
                                        : read_compiler_records(records_path);
    return *records_;
}

void Shell::tell_unplayed(std::size_t commands, const std::string& where) {
    if (commands)
        show(Notice{Notice::Kind::warning,
                    fmt::format("{} more of {} {} not played", counted(commands, "command"), where,
                                commands == 1 ? "is" : "are")});
}

void show_what_a_core_lacks(Shell& shell) {
    if (!shell.session().core()) return;
    for (const Finding& finding : shell.session().core()->findings())
        shell.show(Notice{Notice::Kind::warning, finding_text(finding)});
    if (!shell.session().core()->filled().empty())
        shell.show(Notice{Notice::Kind::done, shell.session().core()->filled()});
}

void show_first_notices(Shell& shell) {
    Session& session = shell.session();
    const ModuleSymbols& symbols = session.symbols();
    auto warn = [&](std::string text) {
        shell.show(Notice{Notice::Kind::warning, std::move(text)});
    };
    if (!symbols.elf().damage().empty()) {
        warn(symbols.elf().damage());
        return;
    }
    // A pass over everything, where that takes no time to speak of.
    constexpr std::uint64_t kQuick = 4 << 20;
    const Section* info = symbols.files().dwarf_file().section(".debug_info");
    auto problems = info && info->size > kQuick ? symbols.problems_so_far() : symbols.problems();
    if (!problems.empty()) {
        warn(fmt::format("{} of the debug information cannot be read and {} left out: {}",
                         counted(problems.size(), "part"), problems.size() == 1 ? "is" : "are",
                         escape_for_display(problems.front())));
    }
    if (session.core() && session.core()->lacks_program())
        return;  // the core's own findings say it
    if (!symbols.has_debug_information()) {
        bool stripped = !symbols.symbol_table().has_full_table();
        warn(fmt::format(
            "{} has no debug information{}: it stops at {}, and the stack is walked by call-frame "
            "information. "
            "Compile it with -g for lines, variables and types.",
            program_name(session), stripped ? " and its symbols were stripped" : "",
            stripped ? "addresses and exported names" : "addresses and names of functions"));
        return;
    }
    std::string file = session.current_file();
    if (file.empty()) return;
    if (!session.sources().find(file))
        warn(finding_text({fmt::format("the source file {} is not here", escape_for_display(file)),
                           Next::map_sources}));
    else if (is_stale(session.moment(), file))
        warn(fmt::format("{} is newer than the program: lines may not match; build it again",
                         escape_for_display(std::filesystem::path(file).filename().string())));
}

}  // namespace lantern::cli
