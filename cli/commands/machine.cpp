// registers, disassembly, became, words, regions, save core
#include <fmt/format.h>

#include <algorithm>

#include "cli/commands/command.h"
#include "cli/figures/words_figure.h"
#include "cli/progress.h"
#include "core/analysis/became_report.h"
#include "core/analysis/disassembly_report.h"
#include "core/analysis/figure_caption.h"
#include "core/analysis/memory_report.h"
#include "core/analysis/registers_report.h"
#include "core/analysis/words_report.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/target/core_writer.h"

namespace lantern::cli {
namespace {

// "EXPR to EXPR"
RunRange range_of(Session& session, std::string_view text) {
    constexpr std::string_view kTo = " to ";
    std::size_t at = text.find(kTo);
    if (at == std::string_view::npos)
        throw RequestError("where it ends is missing", "disassembly from EXPR to EXPR");
    RunRange range{address_meant(session, text.substr(0, at)),
                   address_meant(session, text.substr(at + kTo.size()))};
    if (!(range.low < range.high))
        throw RequestError("it ends before it begins", "the lower address comes first");
    return range;
}

// Takes the words from the end, as long as they are ones that say how.
DisassemblyQuery read_disassembly(Shell& shell, std::string_view text) {
    DisassemblyQuery query;
    query.syntax = shell.syntax;
    text = trimmed(text);
    auto take = [&](std::string_view word) {
        if (text != word && !(text.size() > word.size() && text.ends_with(word) &&
                              text[text.size() - word.size() - 1] == ' '))
            return false;
        text = trimmed(text.substr(0, text.size() - word.size()));
        return true;
    };
    for (bool again = true; again;) {
        again = true;
        std::size_t space = text.rfind(' ');
        std::string_view last = space == std::string_view::npos ? text : text.substr(space + 1);
        std::string_view before =
            space == std::string_view::npos ? std::string_view() : trimmed(text.substr(0, space));
        bool is_count = whole_number(last) && (before == "count" || before.ends_with(" count"));
        if (is_count) {
            query.count = *whole_number(last);
            text = trimmed(before.substr(0, before.size() - 5));
        } else if (take("all"))
            query.whole = true;
        else if (take("by source"))
            query.by_source = true;
        else if (take("bytes"))
            query.bytes = true;
        else if (take("counts"))
            query.counts = true;
        else
            again = false;
    }
    if (text.starts_with("from "))
        query.range = range_of(shell.session(), text.substr(5));
    else if (!text.empty())
        query.place = shell.session().place(text);
    return query;
}

}  // namespace

void run_registers(Shell& shell, std::string_view arguments) {
    std::vector<std::string> wanted;
    for (std::string_view word = take_word(arguments); !word.empty(); word = take_word(arguments)) {
        if (word.starts_with('%')) word.remove_prefix(1);
        wanted.emplace_back(word);
    }
    shell.show(
        report_registers(shell.session().moment(), wanted, shell.session().registers_before()));
}

void run_disassembly(Shell& shell, std::string_view arguments) {
    shell.show(report_disassembly(shell.session().moment(), read_disassembly(shell, arguments),
                                  shell.session().breakpoints()));
}

void run_became(Shell& shell, std::string_view arguments) {
    Session& session = shell.session();
    std::optional<Place> place;
    if (!trimmed(arguments).empty()) place = session.place(trimmed(arguments));
    shell.show(report_became(session.moment(), place, shell.records()));
}

void run_regions(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "regions");
    shell.show(report_regions(shell.session().moment()));
}

namespace {

WordsReport words_wanted(Shell& shell, std::string_view arguments) {
    WordsQuery query;
    for (std::string_view rest = arguments; !trimmed(rest).empty();) {
        std::string_view word = take_word(rest);
        if (auto number = whole_number(word))
            query.callers = static_cast<unsigned>(std::min<std::uint64_t>(*number, 1000));
        else if (word == "below")
            query.from_below = true;
        else
            throw RequestError(
                fmt::format("words understands a number of callers and the word below, not {}",
                            quote(word)),
                "words 1 shows the caller's frame too");
    }
    return report_words(shell.session().moment(), query);
}

}  // namespace

void run_words(Shell& shell, std::string_view arguments) {
    shell.show(words_wanted(shell, arguments));
}

void save_words_figure(Shell& shell, std::string_view arguments,
                       const std::filesystem::path& path) {
    draw_words(words_wanted(shell, arguments), caption_of(shell.session().moment()), path);
    shell.show(
        Notice{Notice::Kind::done, fmt::format("the stack frame is drawn in {}", path.string())});
}

void save_core(Shell& shell, const std::string& path) {
    Session& session = shell.session();
    const Stop& stop = session.last_stop();
    CoreWish wish;
    wish.thread = session.thread();
    if (stop.reason == StopReason::signal && stop.thread == wish.thread) {
        wish.signal = stop.signal;
        wish.is_fault = stop.is_fault;
        wish.fault_address = stop.fault_address;
        wish.signal_code = stop.origin.code;
    }
    wish.progress = work_progress("saving the core");
    LiveProcess& process = session.process();
    if (session.is_moving()) throw RequestError("the program runs", "pause stops it");
    WrittenCore written = write_core(process, wish, path);
    clear_progress();
    shell.show(
        Notice{Notice::Kind::done, fmt::format("core saved as {}: {} KB, of which {} KB are "
                                               "stored; elm-lantern postmortem {} looks into it",
                                               path, with_thousands(written.size / 1024),
                                               with_thousands(written.stored / 1024), path)});
}

}  // namespace lantern::cli
