// breakpoints, off, on, drop
#include <fmt/format.h>

#include "cli/commands/command.h"
#include "core/analysis/breakpoints_report.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

// "2 5" or "all" as breakpoint numbers.
std::vector<unsigned> numbers_of(Shell& shell, std::string_view arguments,
                                 std::string_view command) {
    std::vector<unsigned> numbers;
    if (trimmed(arguments) == "all") {
        for (const Breakpoint& breakpoint : shell.session().breakpoints())
            numbers.push_back(breakpoint.number);
        return numbers;
    }
    for (std::string_view rest = arguments; !trimmed(rest).empty();) {
        std::string_view word = take_word(rest);
        auto number = whole_number(word);
        if (!number)
            throw RequestError(
                fmt::format("{} takes numbers of breakpoints or the word all, not {}",
                            std::string(command), quote(word)),
                "breakpoints lists them");
        numbers.push_back(static_cast<unsigned>(*number));
    }
    if (numbers.empty())
        throw RequestError(
            fmt::format("{} needs the number of a breakpoint, or all", std::string(command)),
            "breakpoints lists them");
    return numbers;
}

std::string summary(const std::vector<unsigned>& numbers, std::string_view state) {
    if (numbers.empty()) return "there are no breakpoints";
    std::vector<std::string> words;
    for (unsigned n : numbers) words.push_back(std::to_string(n));
    return fmt::format("breakpoint{} {} {}", words.size() == 1 ? "" : "s", join_with(words, "and"),
                       std::string(state));
}

}  // namespace

void run_breakpoints(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "breakpoints");
    shell.show(report_breakpoints(shell.session().breakpoints()));
}

void run_off(Shell& shell, std::string_view arguments) {
    auto numbers = numbers_of(shell, arguments, "off");
    for (unsigned number : numbers) shell.session().switch_breakpoint(number, false);
    shell.show(Notice{Notice::Kind::done, summary(numbers, "off")});
}

void run_on(Shell& shell, std::string_view arguments) {
    auto numbers = numbers_of(shell, arguments, "on");
    for (unsigned number : numbers) shell.session().switch_breakpoint(number, true);
    shell.show(Notice{Notice::Kind::done, summary(numbers, "on")});
}

void run_drop(Shell& shell, std::string_view arguments) {
    auto numbers = numbers_of(shell, arguments, "drop");
    for (unsigned number : numbers) shell.session().drop_breakpoint(number);
    shell.show(Notice{Notice::Kind::done, summary(numbers, "removed")});
}

}  // namespace lantern::cli
