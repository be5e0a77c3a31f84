#include <gtest/gtest.h>

#include "core/analysis/locals_report.h"
#include "core/analysis/signal_sentence.h"
#include "core/analysis/source_report.h"
#include "core/analysis/stop_report.h"
#include "core/support/error.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

struct Driven {
    explicit Driven(const std::string& program, std::vector<std::string> arguments = {})
        : session(options(program, std::move(arguments)), {}) {}
    static LaunchOptions options(const std::string& program, std::vector<std::string> arguments) {
        LaunchOptions made;
        made.program = testing::fixture(program);
        made.arguments = std::move(arguments);
        made.input_file = made.output_file = "/dev/null";
        return made;
    }
    StopReport reach(const std::string& place) {
        return report(session.reach(session.place(place)));
    }
    StopReport report(const Stop& stop) { return report_stop(session.moment(), stop, tracker); }
    Session session;
    ChangeTracker tracker;
};

TEST(StopReport, SaysWhyWhereAndWhatRunsNext) {
    Driven driven("locks-gcc-O0-dwarf5-pie");
    StopReport report = driven.reach("mean");
    EXPECT_EQ(report.why, "reached");
    EXPECT_EQ(report.function, "mean");
    EXPECT_EQ(report.line, 55u);
    EXPECT_EQ(report.next_to_run, "line 55 runs next");
    EXPECT_EQ(report.line_state, LineState::next);
    EXPECT_EQ(report.address, driven.session.selected_frame()->program_counter.value);
    ASSERT_EQ(report.source.rows.size(), 6u);
    EXPECT_TRUE(report.source.rows[3].is_current);
    EXPECT_EQ(report.source.rows[3].text, "    double sum = 0;");
    EXPECT_TRUE(report.source.rows[3].has_code);
    EXPECT_FALSE(report.source.rows[1].has_code);
    EXPECT_TRUE(report.changes.empty());
}

TEST(StopReport, TellsABegunLineFromOneThatRunsNext) {
    Driven driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("mean");
    StopReport report = driven.report(driven.session.out());
    EXPECT_EQ(report.line_state, LineState::begun);
    EXPECT_EQ(report.next_to_run, "line 80 has begun; the rest of it runs next");
    ASSERT_TRUE(report.returned);
    EXPECT_EQ(report.returned->text, "-0.08333333333333333");
    report = driven.report(driven.session.over_line());
    EXPECT_EQ(report.line_state, LineState::next);
    driven.reach("ring_bell");
    driven.session.select_frame(1);
    EXPECT_EQ(line_state(driven.session.moment(), *driven.session.selected_frame()),
              LineState::waiting);
}

TEST(StopReport, AFailingLineSaysSo) {
    Driven driven("trouble-gcc", {"zero"});
    StopReport report = driven.report(driven.session.launch_again());
    EXPECT_EQ(report.line_state, LineState::fails);
    EXPECT_EQ(report.headline, "stopped by SIGFPE");
    EXPECT_EQ(report.suggestion.hints().front().next, Next::go_on_to_the_end_by_signal);
    StopReport end = driven.report(driven.session.continue_running());
    EXPECT_EQ(end.why, "the program was ended by SIGFPE");
    EXPECT_EQ(end.suggestion.hints().front().next, Next::restart);
    EXPECT_TRUE(end.function.empty());
}

TEST(StopReport, PinsShowTheirChangeAndTheirTrouble) {
    Driven driven("locks-gcc-O0-dwarf5-pie");
    driven.session.presentation().add_pin("total");
    driven.session.presentation().add_pin("global_count * 2");
    driven.session.presentation().add_pin("locals");
    StopReport report = driven.reach("locks.c:49");
    ASSERT_EQ(report.pins.size(), 3u);
    EXPECT_EQ(report.pins[0].value->text, "3");
    EXPECT_EQ(report.pins[1].value->text, "14");
    EXPECT_TRUE(report.pins[2].is_view);
    driven.report(driven.session.over_line());
    report = driven.reach("locks.c:49");
    report = driven.report(driven.session.over_line());
    EXPECT_EQ(report.pins[0].before, "3");
    EXPECT_EQ(report.pins[0].value->text, "13");
    EXPECT_TRUE(report.pins[1].before.empty());
    report = driven.reach("mean");
    EXPECT_NE(report.pins[0].problem.find("nothing here is called total"), std::string::npos);
}

TEST(StopReport, WithoutLinesItShowsTheInstruction) {
    Driven driven("locks-nosymbols");
    StopReport report = driven.reach("factorial");
    EXPECT_TRUE(report.file.empty());
    EXPECT_FALSE(report.instruction.empty());
    EXPECT_NE(report.next_to_run.find("there is no source for it"), std::string::npos);
}

TEST(StopReport, ManyChangesAreCutAndCounted) {
    Driven driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("main");
    StopReport report = driven.reach("locks.c:95");
    EXPECT_EQ(report.changes.size(), 8u);
    EXPECT_GT(report.more_changes, 0u);
}

TEST(SourceReport, IsCutToTheFile) {
    Driven driven("locks-gcc-O0-dwarf5-pie");
    std::string file = driven.session.current_file();
    EXPECT_NE(file.find("locks.c"), std::string::npos);
    SourceReport report = report_source(driven.session.moment(), file, 90, 500);
    EXPECT_EQ(report.rows.back().number, report.last_line);
    EXPECT_EQ(report.rows.front().number, 90u);
    EXPECT_TRUE(report_source(driven.session.moment(), file, 500, 600).rows.empty());
    EXPECT_TRUE(report_source(driven.session.moment(), "/no/such.c", 1, 5).found_at.empty());
    driven.session.add_breakpoint(driven.session.place("locks.c:95"));
    driven.session.switch_breakpoint(1, false);
    report = report_source(driven.session.moment(), file, 95, 95);
    ASSERT_EQ(report.rows[0].breakpoints.size(), 1u);
    EXPECT_FALSE(report.rows[0].breakpoints[0].is_on);
}

TEST(LocalsReport, OfAnOptimisedFrameNeverThrowsAndExplains) {
    for (const char* program :
         {"locks-gcc-O2-dwarf5-pie", "locks-gcc-O2-dwarf4-nopie", "trouble-O2"}) {
        Driven driven(program, {"busy"});
        driven.reach("main");
        unsigned explained = 0, present = 0;
        for (int i = 0; i < 12 && driven.session.is_running(); ++i) {
            if (const Frame* frame = driven.session.selected_frame(); frame->function)
                for (const ValueView& view :
                     report_locals(driven.session.moment(), *frame).variables) {
                    view.unavailable.empty() ? ++present : ++explained;
                    EXPECT_TRUE(!view.text.empty() || view.has_children() ||
                                !view.unavailable.empty())
                        << view.name;
                }
            driven.report(driven.session.over_line());
        }
        EXPECT_GT(present, 0u) << program;
        EXPECT_TRUE(explained > 0 || std::string(program).starts_with("trouble")) << program;
    }
}

TEST(GlobalsReport, IsFilteredLimitedAndCounted) {
    Driven driven("locks-gcc-O0-dwarf5-pie");
    GlobalsReport all = report_globals(driven.session.moment(), {"", "", "", 2});
    EXPECT_EQ(all.variables.size(), 2u);
    EXPECT_EQ(all.total, 5u);
    EXPECT_FALSE(all.is_running);
    GlobalsReport some = report_globals(driven.session.moment(), {"TOLL", "", "", 50});
    ASSERT_EQ(some.variables.size(), 1u);
    EXPECT_EQ(one_line(some.variables[0]), "{1.5, 2.25, -4.0}");
}

TEST(SignalNames, AreTheUsualOnes) {
    EXPECT_EQ(signal_name(11), "SIGSEGV");
    EXPECT_EQ(signal_name(6), "SIGABRT");
    EXPECT_EQ(signal_name(77), "signal 77");
}

}  // namespace
}  // namespace lantern
