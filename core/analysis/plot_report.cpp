#include "core/analysis/plot_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

std::optional<double> number_of(const NotedValue& value) {
    if (auto* whole = std::get_if<std::int64_t>(&value)) return static_cast<double>(*whole);
    if (auto* whole = std::get_if<std::uint64_t>(&value)) return static_cast<double>(*whole);
    if (auto* real = std::get_if<double>(&value)) return *real;
    return std::nullopt;
}

// Of one expression of a note, by thread.
std::map<unsigned, PlotSeries> series_of(const NoteTable& notes, unsigned note, std::size_t column,
                                         bool over_time) {
    std::map<unsigned, PlotSeries> series;
    for (const NoteRow& row : notes.rows()) {
        if (row.note != note || column >= row.values.size()) continue;
        PlotSeries& of_thread = series[row.thread];
        auto number = number_of(row.values[column]);
        of_thread.is_whole =
            of_thread.is_whole && !std::holds_alternative<double>(row.values[column]);
        of_thread.points.push_back(
            {over_time ? row.seconds : static_cast<double>(row.hit), number});
    }
    std::erase_if(series, [](const auto& each) {
        return std::ranges::none_of(each.second.points,
                                    [](const PlotPoint& point) { return point.y.has_value(); });
    });
    return series;
}

}  // namespace

PlotReport report_plot(const NoteTable& notes, const std::list<Breakpoint>& breakpoints,
                       const PlotWish& wish) {
    if (notes.rows().empty())
        throw RequestError("nothing has been noted yet", "note at PLACE EXPR, then continue");
    PlotReport report;
    report.across = wish.over_time ? "seconds" : "number of the hit";
    report.notes = notes.rows().size();
    std::set<std::string> places;
    for (const Breakpoint& breakpoint : breakpoints) {
        for (std::size_t i = 0; i < breakpoint.noted.size(); ++i) {
            const std::string& expression = breakpoint.noted[i];
            if (!wish.names.empty() &&
                std::ranges::find(wish.names, expression) == wish.names.end())
                continue;
            auto series = series_of(notes, breakpoint.number, i, wish.over_time);
            report.without_numbers += series.empty();
            if (!series.empty()) places.insert(breakpoint.place.text);
            for (auto& [thread, each] : series) {
                each.name = series.size() > 1 ? fmt::format("{}, thread {}", expression, thread)
                                              : expression;
                report.series.push_back(std::move(each));
            }
        }
    }
    if (report.series.empty())
        throw RequestError(wish.names.empty() ? "none of the notes is a number"
                                              : fmt::format("nothing noted is called {}",
                                                            join_with(wish.names, "or")),
                           "notes shows what there is");
    report.title = fmt::format("noted at {}", join_with({places.begin(), places.end()}, "and"));
    return report;
}

}  // namespace lantern
