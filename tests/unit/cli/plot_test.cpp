#include <gtest/gtest.h>

#include "cli/figures/axis.h"
#include "cli/figures/plot_figure.h"
#include "cli/views/block_chart.h"
#include "cli/views/reports.h"
#include "cli/views/text.h"
#include "core/analysis/plot_report.h"
#include "core/support/error.h"
#include "tests/testing/command.h"

namespace lantern::cli {
namespace {

// ---- axes

TEST(Axis, NeverGoesBelowZeroForWhatIsNeverBelowIt) {
    EXPECT_EQ(axis_around(0, 8, 8).low, 0);
    EXPECT_EQ(axis_around(3, 8, 8).low, 0) << "zero is near";
    Axis far = axis_around(205, 232, 8);
    EXPECT_GT(far.low, 150) << "zero is far: it begins where the data do";
    EXPECT_LE(far.low, 205);
    EXPECT_GE(far.high, 232);
    EXPECT_EQ(axis_around(-8, -3, 8).high, 0);
    Axis both = axis_around(-4, 9, 8);
    EXPECT_LE(both.low, -4);
    EXPECT_GE(both.high, 9);
}

TEST(Axis, HasARangeAlsoForOneValue) {
    for (double value : {0.0, 5.0, -5.0, 1e300, 1e-300}) {
        Axis axis = axis_around(value, value, 8);
        EXPECT_LT(axis.low, axis.high) << value;
        EXPECT_LE(axis.low, value);
        EXPECT_GE(axis.high, value);
        EXPECT_GE(axis.ticks.size(), 2u) << value;
        EXPECT_LE(axis.ticks.size(), 32u) << value;
    }
}

TEST(Axis, WritesItsTicksAsItsStepsNeed) {
    Axis axis = axis_along(0, 1, 5);
    EXPECT_EQ(axis.text_of(0.2), "0.2");
    EXPECT_EQ(axis_along(0, 20000, 5).text_of(15000), "15 000");
    EXPECT_EQ(axis_along(-10, 10, 5).text_of(-5), "-5");
}

// ---- reports

NoteRow row(unsigned thread, std::uint64_t hit, std::vector<NotedValue> values) {
    NoteRow row;
    row.note = 1;
    row.thread = thread;
    row.hit = hit;
    row.seconds = 0.5 * static_cast<double>(hit);
    row.values = std::move(values);
    return row;
}

std::list<Breakpoint> note_of(std::vector<std::string> expressions) {
    std::list<Breakpoint> breakpoints(1);
    breakpoints.front().number = 1;
    breakpoints.front().noted = std::move(expressions);
    breakpoints.front().place.text = "sluice.c:42";
    return breakpoints;
}

TEST(PlotReport, KeepsGapsAndThreadsApart) {
    NoteTable notes;
    notes.add(row(1, 1, {std::int64_t{7}, std::string("Wren")}));
    notes.add(row(2, 2, {std::int64_t{9}, std::string("Heron")}));
    notes.add(row(1, 3, {std::monostate{}, std::string("Teal")}));
    notes.add(row(1, 4, {2.5, std::string("Teal")}));
    PlotReport report = report_plot(notes, note_of({"level", "name"}), {});
    ASSERT_EQ(report.series.size(), 2u);
    EXPECT_EQ(report.without_numbers, 1u) << "names are no numbers";
    EXPECT_EQ(report.series[0].name, "level, thread 1");
    ASSERT_EQ(report.series[0].points.size(), 3u);
    EXPECT_FALSE(report.series[0].points[1].y) << "a gap";
    EXPECT_FALSE(report.series[0].is_whole);
    EXPECT_TRUE(report.series[1].is_whole);
    PlotReport timed = report_plot(notes, note_of({"level", "name"}), {{}, true});
    EXPECT_EQ(timed.series[0].points[1].x, 1.5);
    EXPECT_EQ(timed.across, "seconds");
    EXPECT_THROW(report_plot(notes, note_of({"level", "name"}), {{"depth"}, false}), RequestError);
    EXPECT_THROW(report_plot(notes, note_of({"level", "name"}), {{"name"}, false}), RequestError);
}

// ---- pictures

PlotSeries series(const std::string& name, std::vector<std::optional<double>> values,
                  bool is_whole = true) {
    PlotSeries series;
    series.name = name;
    series.is_whole = is_whole;
    double x = 1;
    for (auto& value : values) series.points.push_back({x++, value});
    return series;
}

TEST(PlotFigure, SeriesOfVeryDifferentSizeHavePanelsOfTheirOwn) {
    using Panels = std::vector<std::vector<std::size_t>>;
    EXPECT_EQ(panels_of({series("a", {1, 2}), series("b", {3, 9})}), (Panels{{0, 1}}));
    EXPECT_EQ(panels_of({series("small", {1, 2}), series("large", {900, 4000}),
                         series("also large", {700, 200}), series("nothing", {0, 0})}),
              (Panels{{1, 2}, {0, 3}}));
}

TEST(PlotFigure, AGapIsNoLine) {
    testing::TemporaryFolder folder;
    PlotReport report{"t", "hit", {series("level", {1, 2, std::nullopt, 4, 5})}, 0, 5, "lockflow"};
    draw_plot(report, folder.path() / "gap.svg");
    std::string svg = folder.read("gap.svg");
    std::size_t lines = 0;
    for (std::size_t at = svg.find("stroke-width=\"2.0\""); at != std::string::npos;
         at = svg.find("stroke-width=\"2.0\"", at + 1))
        ++lines;
    EXPECT_EQ(lines, 2u) << svg;
    EXPECT_NE(svg.find(">lockflow</text>"), std::string::npos);
    EXPECT_THROW(draw_plot(report, folder.path() / "gap.gif"), RequestError);
    EXPECT_THROW(draw_plot(report, "/nowhere/gap.svg"), FileError);
    draw_plot(report, folder.path() / "gap.png");
    EXPECT_EQ(folder.read("gap.png").substr(1, 3), "PNG");
}

TEST(BlockChart, IsAsHighAsItsNumbers) {
    std::string chart = block_chart({0, 4, 8, std::nullopt, 8}, Style{});
    std::vector<std::string> lines;
    for (std::size_t begin = 0; begin < chart.size();) {
        std::size_t end = chart.find('\n', begin);
        lines.push_back(chart.substr(begin, end - begin));
        begin = end + 1;
    }
    ASSERT_EQ(lines.size(), 10u);
    EXPECT_EQ(lines[0], "         8         ████    ████") << chart;
    EXPECT_EQ(lines[9], "         0 ▁▁▁▁████████    ████") << chart;
    EXPECT_EQ(block_chart({std::nullopt}, Style{}), "no number to draw\n");
}

}  // namespace
}  // namespace lantern::cli
