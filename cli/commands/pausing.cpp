// pause, note: what the words behind them ask for.
#include <fmt/format.h>

#include "cli/commands/command.h"
#include "core/analysis/breakpoints_report.h"
#include "core/session/events.h"
#include "core/session/heap_asked.h"
#include "core/session/system_calls.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr const char* kEvents =
    "write EXPR, read EXPR, access EXPR, throw [TYPE], catch [TYPE], panic, signal NAME, load "
    "[NAME], unload "
    "[NAME], fork, exec, exit, "
    "thread start, thread end, syscall [NAME], sanitizer, or heap [born | freed] [of size N] "
    "[number N]";

// Takes " WORD" off the end.
bool take_word_at_end(std::string_view& text, std::string_view word) {
    if (!text.ends_with(word)) return false;
    std::string_view before = text.substr(0, text.size() - word.size());
    if (!before.empty() && before.back() != ' ') return false;
    text = trimmed(before);
    return true;
}

// Takes " WORD NUMBER" off the end.
std::optional<std::uint64_t> take_count_at_end(std::string_view& text, std::string_view word) {
    std::size_t space = text.rfind(' ');
    if (space == std::string_view::npos) return std::nullopt;
    auto number = whole_number(text.substr(space + 1));
    std::string_view before = trimmed(text.substr(0, space));
    if (!number || !take_word_at_end(before, word)) return std::nullopt;
    text = before;
    return number;
}

// "… after 3 every 10 once thread 2 later", in any order, at the end of what is left.
struct Endings {
    bool later = false, follows = false, by_steps = false;
};
void take_endings(std::string_view& text, Breakpoint& wish, Endings& endings) {
    for (bool again = true; again;) {
        again = true;
        if (auto number = take_count_at_end(text, "after"))
            wish.after = *number;
        else if (auto count = take_count_at_end(text, "every"))
            wish.every = *count;
        else if (auto thread = take_count_at_end(text, "thread"))
            wish.thread = static_cast<unsigned>(*thread);
        else if (auto limit = take_count_at_end(text, "limit"))
            wish.note_limit = *limit;
        else if (take_word_at_end(text, "once"))
            wish.once = true;
        else if (take_word_at_end(text, "later"))
            endings.later = true;
        else if (wish.is_watch() && take_word_at_end(text, "following"))
            endings.follows = true;
        else if (wish.is_watch() && take_word_at_end(text, "by steps"))
            endings.by_steps = true;
        else
            again = false;
    }
    if (wish.every == 0)
        throw RequestError("every needs a number from 1 on",
                           "pause at take_through every 100, for example");
}

// Takes "when EXPR" and the endings off; what is left is the place, or the expression to watch.
Endings take_limits(std::string_view& text, Breakpoint& wish) {
    Endings endings;
    take_endings(text, wish, endings);
    std::size_t when = text.ends_with(" when") ? text.size() - 5 : text.find(" when ");
    if (text.starts_with("when ")) throw RequestError("what to stop at is missing before 'when'");
    if (when == std::string_view::npos) return endings;
    wish.condition = trimmed(text.substr(when + 5));
    if (wish.condition.empty())
        throw RequestError("the condition after 'when' is missing",
                           "pause at take_through when barge->draught_cm > 140, for example");
    text = trimmed(text.substr(0, when));
    take_endings(text, wish, endings);
    return endings;
}

void show_set(Shell& shell, const Breakpoint& made) {
    Session& session = shell.session();
    shell.show(report_new_breakpoint(session.moment(), made, session.others_at(made)));
}

void pause_at(Shell& shell, std::string_view text) {
    Breakpoint wish;
    Endings endings = take_limits(text, wish);
    wish.place = shell.session().place(text);
    try {
        show_set(shell, shell.session().add_breakpoint(std::move(wish), endings.later));
    } catch (const RequestError& error) {
        bool is_unknown = wish.place.kind != Place::Kind::address &&
                          std::string_view(error.what()).starts_with("the program ");
        if (!is_unknown) throw;
        throw RequestError(error.what(), error.advice().and_also(Next::wait_for_library));
    }
}

Cause cause_named(std::string_view word) {
    struct Named {
        std::string_view word;
        Cause cause;
    };
    static constexpr Named kNamed[] = {{"write", Cause::write},         {"access", Cause::access},
                                       {"read", Cause::read},           {"throw", Cause::thrown},
                                       {"catch", Cause::caught},        {"panic", Cause::panic},
                                       {"signal", Cause::signal},       {"load", Cause::load},
                                       {"unload", Cause::unload},       {"fork", Cause::fork},
                                       {"exec", Cause::exec},           {"exit", Cause::exit},
                                       {"syscall", Cause::system_call}, {"heap", Cause::heap},
                                       {"sanitizer", Cause::sanitizer}};
    for (const Named& named : kNamed)
        if (named.word == word) return named.cause;
    std::vector<std::string> words{"thread"};
    for (const Named& named : kNamed) words.emplace_back(named.word);
    auto near = nearest_names(word, words);
    throw RequestError(fmt::format("the program cannot be stopped on {}", quote(word)),
                       near.empty()
                           ? fmt::format("pause on {}", kEvents)
                           : fmt::format("did you mean pause on {}?", join_with(near, "or")));
}

void check_subject(const Session& session, const Breakpoint& wish) {
    if (wish.cause == Cause::heap) {
        asked_of(wish.subject);  // throws
        bool is_in_front =
            std::ranges::any_of(session.launch_options().environment, [](const std::string& each) {
                return each.starts_with(heap_tables::kOptionsVariable);
            });
        if (!is_in_front)
            throw RequestError(
                "nobody watches the heap in this session",
                "elm-lantern debug PROGRAM --heap puts a library in front that does");
    }
    if (wish.is_watch() && wish.subject.empty())
        throw RequestError("what to watch is missing",
                           "pause on write chamber->level_cm, for example");
    if (wish.cause == Cause::signal && !signal_numbered(wish.subject))
        throw RequestError(wish.subject.empty()
                               ? "the name of a signal is missing"
                               : fmt::format("{} is no signal", quote(wish.subject)),
                           "signals lists them; pause on signal SIGUSR1, for example");
    if (wish.cause == Cause::system_call && !wish.subject.empty() &&
        !system_call_numbered(wish.subject)) {
        auto near = nearest_names(wish.subject, system_call_names());
        throw RequestError(fmt::format("the kernel has no system call {}", quote(wish.subject)),
                           near.empty() ? "pause on syscall stops at every one"
                                        : fmt::format("did you mean {}?", join_with(near, "or")));
    }
}

void pause_on(Shell& shell, std::string_view text) {
    Breakpoint wish;
    std::string_view word = take_word(text);
    if (word.empty())
        throw RequestError("what to stop on is missing", fmt::format("pause on {}", kEvents));
    if (word == "thread") {
        std::string_view which = take_word(text);
        if (which != "start" && which != "end")
            throw RequestError("a thread can start or end",
                               "pause on thread start, or pause on thread end");
        wish.cause = which == "start" ? Cause::thread_start : Cause::thread_end;
    } else {
        wish.cause = cause_named(word);
    }
    std::string padded_text = " " + std::string(text);  // a limit may follow the event at once
    std::string_view rest = padded_text;
    Endings endings = take_limits(rest, wish);
    wish.subject = trimmed(rest);
    check_subject(shell.session(), wish);
    if (wish.is_watch()) {
        wish.watched = std::make_shared<WatchedValue>();
        wish.watched->follows = endings.follows;
        wish.watched->by_steps = endings.by_steps;
    }
    // What an exception or a panic comes through may lie in a library that is still to be loaded.
    show_set(shell, shell.session().add_breakpoint(std::move(wish), true));
}

// The commas of "a, f(b, c), d[0]" that part expressions.
std::vector<std::string> split_expressions(std::string_view text) {
    std::vector<std::string> parts;
    int depth = 0;
    char quoted = 0;
    std::size_t start = 0;
    for (std::size_t i = 0; i <= text.size(); ++i) {
        char c = i < text.size() ? text[i] : ',';
        if (quoted) {
            if (c == quoted) quoted = 0;
            continue;
        }
        if (c == '"' || c == '\'') quoted = c;
        if (c == '(' || c == '[' || c == '{') ++depth;
        if (c == ')' || c == ']' || c == '}') --depth;
        if (c != ',' || (depth > 0 && i < text.size())) continue;
        std::string part(trimmed(text.substr(start, i - start)));
        if (part.empty())
            throw RequestError("an expression is missing between the commas",
                               "note at 42 level, rate, for example");
        parts.push_back(std::move(part));
        start = i + 1;
    }
    return parts;
}

}  // namespace

void run_pause(Shell& shell, std::string_view arguments) {
    std::string_view rest = arguments;
    std::string_view word = take_word(rest);
    if (word.empty()) return shell.show_stop(shell.session().pause());
    if (word == "at") return pause_at(shell, rest);
    if (word == "on") return pause_on(shell, rest);
    throw RequestError(fmt::format("pause takes at PLACE or on EVENT, not {}", quote(word)),
                       fmt::format("pause at {} sets a breakpoint", word));
}

void run_note(Shell& shell, std::string_view arguments) {
    std::string_view rest = arguments;
    Breakpoint wish;
    constexpr std::string_view kBlocks = "blocks of ";
    if (rest.starts_with(kBlocks)) {
        wish.place = blocks_of(rest.substr(kBlocks.size()));
        return show_set(shell, shell.session().add_breakpoint(std::move(wish)));
    }
    if (take_word(rest) != "at")
        throw RequestError("note needs a place",
                           "note at lockflow.c:42 level, rate when chamber == 3, for example");
    Endings endings = take_limits(rest, wish);
    // The place is the first word, or "address EXPR," up to the comma.
    std::string_view place = take_word(rest);
    if (place == "address") throw RequestError("note takes a line or a function as its place");
    if (rest.empty())
        throw RequestError("what to note is missing",
                           fmt::format("note at {} EXPR, EXPR", std::string(place)));
    wish.noted = split_expressions(rest);
    wish.place = shell.session().place(place);
    show_set(shell, shell.session().add_breakpoint(std::move(wish), endings.later));
}

}  // namespace lantern::cli
