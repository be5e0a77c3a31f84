// notes, plot: what the notes of a run have gathered.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "cli/commands/command.h"
#include "cli/plot.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kRowsShown = 20;

std::optional<double> number_of(const NotedValue& value) {
    if (auto* whole = std::get_if<std::int64_t>(&value)) return static_cast<double>(*whole);
    if (auto* whole = std::get_if<std::uint64_t>(&value)) return static_cast<double>(*whole);
    if (auto* real = std::get_if<double>(&value)) return *real;
    return std::nullopt;
}

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
    if (at == std::string_view::npos)
        throw RequestError("plot needs the name of a file",
                           "plot as levels.svg, or plot level, rate as levels.png");
    std::string wanted(trimmed(arguments.substr(0, at)));
    auto files = shell_words(trimmed(arguments.substr(at)).substr(2));
    if (files.size() != 1) throw RequestError("plot needs the name of one file after 'as'");
    Session& session = shell.session();
    if (session.notes().rows().empty())
        throw RequestError("nothing has been noted yet", "note at PLACE EXPR, then continue");
    std::vector<std::string> names;
    for (std::string_view rest = wanted; !rest.empty();) {
        std::size_t comma = rest.find(',');
        names.emplace_back(trimmed(rest.substr(0, comma)));
        rest = comma == std::string_view::npos ? std::string_view() : rest.substr(comma + 1);
    }
    Plot plot;
    unsigned skipped = 0;
    for (const Breakpoint& breakpoint : session.breakpoints()) {
        for (std::size_t i = 0; i < breakpoint.noted.size(); ++i) {
            const std::string& expression = breakpoint.noted[i];
            if (!names.empty() && std::find(names.begin(), names.end(), expression) == names.end())
                continue;
            PlotSeries series;
            series.name = expression;
            series.is_whole = true;
            for (const NoteRow& row : session.notes().rows()) {
                if (row.note != breakpoint.number || i >= row.values.size()) continue;
                auto number = number_of(row.values[i]);
                if (!number) continue;
                series.is_whole &= !std::holds_alternative<double>(row.values[i]);
                series.points.emplace_back(static_cast<double>(row.hit), *number);
            }
            if (series.points.empty())
                ++skipped;
            else
                plot.series.push_back(std::move(series));
            plot.title = plot.title.empty() ? breakpoint.place.text : plot.title;
        }
    }
    if (plot.series.empty())
        throw RequestError(wanted.empty() ? "none of the notes is a number"
                                          : fmt::format("nothing noted is called {}", wanted),
                           "notes shows what there is");
    std::string program = std::filesystem::path(session.program()).filename().string();
    plot.title = fmt::format("{}, noted at {}", program, plot.title);
    plot.across = "number of the hit";
    std::vector<std::string> drawn;
    for (const PlotSeries& series : plot.series) drawn.push_back(series.name);
    plot.up = join_with(drawn, "and");
    draw_plot(plot, files[0]);
    std::string left_out =
        skipped ? fmt::format("; {} without numbers left out", counted(skipped, "expression")) : "";
    shell.show(
        Notice{Notice::Kind::done,
               fmt::format("{} series of {} drawn as {}{}", plot.series.size(),
                           counted(session.notes().rows().size(), "note"), files[0], left_out)});
}

}  // namespace lantern::cli
