// source, stack, caller, callee, frame, locals, globals
#include <fmt/format.h>

#include "cli/commands/command.h"
#include "core/analysis/locals_report.h"
#include "core/analysis/source_report.h"
#include "core/analysis/stack_report.h"
#include "core/analysis/stop_report.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::uint32_t kLinesAround = 6;
constexpr std::uint32_t kLongestWhole = 40;  // a function of so many lines is shown whole
constexpr std::size_t kGlobalsShown = 50;

void show_source(Shell& shell, const std::string& file, std::uint32_t first, std::uint32_t last) {
    SourceReport report = report_source(shell.session().moment(), file, first, last);
    if (report.found_at.empty())
        throw RequestError(fmt::format("the source file {} is not here", file),
                           "--source-map FROM=TO says where its folder has moved to");
    shell.listed_file = file;
    shell.listed_to = report.rows.empty() ? report.last_line : report.rows.back().number;
    if (report.rows.empty())
        throw RequestError(fmt::format("{} ends at line {}", file, report.last_line),
                           "source PLACE shows another part");
    shell.show(report);
}

// From where a function is declared to its last line with code; nothing where that is not known.
std::optional<LineSpan> lines_of_function(const PlaceSite& site) {
    const Function* function =
        site.module ? site.module->symbols().function_at(site.code.address) : nullptr;
    if (!function || !site.code.inlined_into.empty()) return std::nullopt;
    auto span = site.module->symbols().positions_of(*function).lines_of(function->ranges, nullptr);
    if (!span) return std::nullopt;
    std::uint32_t first = function->declared_line && function->declared_line <= span->first
                              ? function->declared_line
                              : span->first;
    return LineSpan{first, span->last};
}

// The frame that was just selected, shown like a stop without the news.
void show_frame(Shell& shell) {
    Session& session = shell.session();
    const Frame* frame = session.selected_frame();
    if (frame->line) {
        std::uint32_t line = frame->line->line;
        SourceReport report = report_source_around(session.moment(), frame->line->file, line,
                                                   session.presentation().source_lines);
        if (!report.rows.empty()) {
            shell.show(Notice{Notice::Kind::done, fmt::format("frame {}: {}", frame->level,
                                                              frame_function_name(*frame))});
            shell.show(report);
            return;
        }
    }
    std::string where =
        frame->origin == FrameOrigin::one_of_tail_calls
            ? ": by which of several jumps it left is not known"
            : fmt::format(" at {:#x}, without source", frame->program_counter.value);
    shell.show(Notice{Notice::Kind::done, fmt::format("frame {}: {}{}", frame->level,
                                                      frame_function_name(*frame), where)});
}

void move_frame(Shell& shell, std::string_view arguments, std::string_view command, int direction) {
    auto steps = trimmed(arguments).empty() ? std::optional<std::uint64_t>(1)
                                            : whole_number(trimmed(arguments));
    if (!steps)
        throw RequestError(fmt::format("{} takes a number of frames", std::string(command)));
    std::uint64_t now = shell.session().selected_level();
    shell.session().stack();
    if (direction < 0 && *steps > now)
        throw RequestError("this is the innermost frame already", "caller goes the other way");
    shell.session().select_frame(
        static_cast<unsigned>(direction < 0 ? now - *steps : now + *steps));
    shell.listed_file.clear();
    show_frame(shell);
}

}  // namespace

void run_source(Shell& shell, std::string_view arguments) {
    Session& session = shell.session();
    if (trimmed(arguments).empty()) {
        if (!shell.listed_file.empty())
            return show_source(shell, shell.listed_file, shell.listed_to + 1,
                               shell.listed_to + 2 * kLinesAround);
        const Frame* frame = session.selected_frame();
        if (frame && frame->line) {
            std::uint32_t line = frame->line->line;
            return show_source(shell, frame->line->file,
                               line > kLinesAround ? line - kLinesAround : 1, line + kLinesAround);
        }
        if (session.current_file().empty())
            throw RequestError("there is no source to show: the program has no line information",
                               "compile it with -g");
        return run_source(shell, "main");
    }
    Place place = session.place(arguments);
    std::string file;
    std::uint32_t line = place.line;
    std::optional<LineSpan> whole;
    if (place.kind == Place::Kind::line) {
        // Any line can be shown, with code or without.
        for (const Module& module : session.target().modules()) {
            auto files = find_files(module.symbols(), place.file);
            if (!files.empty()) {
                file = files.front();
                break;
            }
        }
        if (file.empty()) resolve_place(place, session.context());  // throws, with near names
    } else {
        PlaceSite site = resolve_place(place, session.context()).front();
        file = site.code.file;
        line = site.code.line;
        whole = lines_of_function(site);
        if (file.empty())
            throw RequestError(fmt::format("there is no source for {}", place.text),
                               "it was compiled without -g");
    }
    if (whole && whole->last - whole->first < kLongestWhole)
        return show_source(shell, file, std::min(whole->first, line > 3 ? line - 3 : 1),
                           std::max(whole->last, line + 3));
    show_source(shell, file, line > kLinesAround ? line - kLinesAround : 1, line + kLinesAround);
}

void run_stack(Shell& shell, std::string_view arguments) {
    std::string_view wanted = trimmed(arguments);
    if (wanted.empty()) return shell.show(report_stack(shell.session().moment()));
    if (wanted == "all")
        return shell.show(report_stack_part(shell.session().moment(), 0, kMostFramesWalked));
    std::size_t dots = wanted.find("..");
    auto first = dots == std::string_view::npos ? std::nullopt
                                                : whole_number(trimmed(wanted.substr(0, dots)));
    auto end = first ? whole_number(trimmed(wanted.substr(dots + 2))) : std::nullopt;
    if (!end || *end <= *first)
        throw RequestError(
            fmt::format("stack takes all, or a part such as 10..60, not {}", quote(wanted)),
            "stack alone shows the stack, with runs folded");
    shell.show(
        report_stack_part(shell.session().moment(),
                          static_cast<unsigned>(std::min<std::uint64_t>(*first, kMostFramesWalked)),
                          static_cast<unsigned>(std::min<std::uint64_t>(*end, kMostFramesWalked))));
}

void run_caller(Shell& shell, std::string_view arguments) {
    move_frame(shell, arguments, "caller", +1);
}

void run_callee(Shell& shell, std::string_view arguments) {
    move_frame(shell, arguments, "callee", -1);
}

void run_frame(Shell& shell, std::string_view arguments) {
    if (!trimmed(arguments).empty()) {
        auto level = whole_number(trimmed(arguments));
        if (!level)
            throw RequestError(fmt::format("{} is no number of a frame", quote(trimmed(arguments))),
                               "stack lists them");
        shell.session().select_frame(static_cast<unsigned>(*level));
        shell.listed_file.clear();
    }
    shell.session().stack();
    show_frame(shell);
}

void run_locals(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "locals");
    shell.session().stack();
    const Frame* frame = shell.session().selected_frame();
    if (!frame->function)
        throw RequestError(
            fmt::format("{} has no debug information: its variables are not known",
                        frame_function_name(*frame)),
            "caller goes to the function that called it; compile with -g to see this one");
    shell.show(report_locals(shell.session().moment(), *frame));
}

void run_globals(Shell& shell, std::string_view arguments) {
    GlobalsQuestion question;
    question.limit = kGlobalsShown;
    // "… in NAME", "… of TYPE", "… limit N" in any order, behind the pattern
    std::string* goes_to = &question.pattern;
    std::string limit;
    for (std::string_view word = take_word(arguments); !word.empty(); word = take_word(arguments)) {
        if (word == "in")
            goes_to = &question.in;
        else if (word == "of")
            goes_to = &question.of;
        else if (word == "limit")
            goes_to = &limit;
        else
            *goes_to += (goes_to->empty() ? "" : " ") + std::string(word);
    }
    if (!limit.empty()) {
        auto number = whole_number(limit);
        if (!number || *number == 0)
            throw RequestError("limit needs a number", "globals toll limit 200, for example");
        question.limit = *number;
    }
    shell.show(report_globals(shell.session().moment(), question));
}

}  // namespace lantern::cli
