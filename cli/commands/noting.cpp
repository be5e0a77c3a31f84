// notes, plot: what the notes of a run have gathered.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "cli/commands/command.h"
#include "cli/figures/plot_figure.h"
#include "core/analysis/figure_caption.h"
#include "core/analysis/notes_report.h"
#include "core/analysis/plot_report.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kRowsShown = 20;

}  // namespace

void run_notes(Shell& shell, std::string_view arguments) {
    bool all = trimmed(arguments) == "all";
    if (!all) refuse_arguments(arguments, "notes");
    const NoteTable& notes = shell.session().notes();
    shell.show(
        report_notes(notes, shell.session().breakpoints(), all ? notes.rows().size() : kRowsShown));
}

void run_plot(Shell& shell, std::string_view arguments) {
    std::size_t at = arguments.starts_with("as ") ? 0 : arguments.rfind(" as ");
    std::string_view wanted = trimmed(arguments.substr(0, at));
    std::vector<std::string> files;
    if (at != std::string_view::npos) {
        files = shell_words(trimmed(arguments.substr(at)).substr(2));
        if (files.size() != 1) throw RequestError("plot needs the name of one file after 'as'");
    }
    Session& session = shell.session();
    PlotWish wish;
    constexpr std::string_view kOverTime = "over time";
    if (wanted == kOverTime || wanted.ends_with(" over time")) {
        wish.over_time = true;
        wanted = trimmed(wanted.substr(0, wanted.size() - kOverTime.size()));
    }
    while (!wanted.empty()) {
        std::size_t comma = wanted.find(',');
        wish.names.emplace_back(trimmed(wanted.substr(0, comma)));
        wanted = comma == std::string_view::npos ? std::string_view() : wanted.substr(comma + 1);
    }
    PlotReport report = report_plot(session.notes(), session.breakpoints(), wish);
    report.caption = caption_of(session.moment());
    if (files.empty()) return shell.show(report);
    draw_plot(report, files[0]);
    std::string left_out = report.without_numbers
                               ? fmt::format("; {} without numbers left out",
                                             counted(report.without_numbers, "expression"))
                               : "";
    shell.show(Notice{Notice::Kind::done,
                      fmt::format("{} series of {} drawn as {}{}", report.series.size(),
                                  counted(report.notes, "note"), files[0], left_out),
                      files[0]});
}

}  // namespace lantern::cli
