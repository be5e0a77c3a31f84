#include "core/session/session.h"

#include <gtest/gtest.h>

#include "core/analysis/change_tracker.h"
#include "core/analysis/locals_report.h"
#include "core/analysis/signal_sentence.h"
#include "core/analysis/stack_report.h"
#include "core/support/error.h"
#include "core/values/variable_value.h"
#include "tests/testing/command.h"
#include "tests/testing/launching.h"

namespace lantern {
namespace {

using testing::fixture;

struct DrivenByLines {
    explicit DrivenByLines(const std::string& program, std::vector<std::string> arguments = {})
        : session(testing::quiet_launch(fixture(program), std::move(arguments)), {}) {}
    Stop reach(const std::string& place) { return session.reach(session.place(place)); }
    std::string value(const std::string& expression) {
        return one_line(
            make_view(ValueReader(session.target()), "x", evaluate(expression, session.context())));
    }
    std::uint32_t line() {
        const Frame* frame = session.selected_frame();
        if (!frame || !frame->line) throw std::runtime_error("the program stands on no line");
        return frame->line->line;
    }
    std::string function() { return frame_function_name(*session.selected_frame()); }
    const ValueView& local(const std::string& name) {
        report = report_locals(session.moment(), *session.selected_frame());
        for (const ValueView& view : report.variables)
            if (view.name == name) return view;
        throw std::runtime_error("no local " + name);
    }
    Session session;
    LocalsReport report;
};

TEST(Selection, ALookElsewhereChangesNothingForWhoeverLooksAlready) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("main");
    driven.session.add_breakpoint(driven.session.place("factorial"), "n == 7");
    driven.session.continue_running();
    driven.session.select_frame(2);
    const Frame* before = driven.session.selected_frame();
    Unwinder* stack = &driven.session.stack();
    EXPECT_EQ(driven.value("n"), "9");
    {
        auto elsewhere = driven.session.look_elsewhere();
        EXPECT_EQ(driven.session.selected_level(), 2u) << "it begins where the other one looks";
        driven.session.select_frame(0);
        EXPECT_EQ(driven.value("n"), "7");
        driven.session.select_thread(1);
        EXPECT_NE(&driven.session.stack(), stack);
    }
    EXPECT_EQ(driven.session.selected_level(), 2u);
    EXPECT_EQ(&driven.session.stack(), stack);
    EXPECT_EQ(driven.session.selected_frame(), before);
    EXPECT_EQ(driven.value("n"), "9");
}

TEST(Stepping, OverRunsWholeCallsWithFewStops) {
    DrivenByLines driven("trouble-gcc", {"busy"});
    driven.reach("main");
    while (driven.line() != 49)
        driven.session.over_line();  // turn(2500000): ten million instructions
    Stop stop = driven.session.over_line();
    EXPECT_EQ(driven.line(), 50u);
    EXPECT_LE(stop.target_stops, 20u);
    EXPECT_EQ(driven.value("counter"), std::to_string(2500000L * 2499999L / 2));
}

TEST(Stepping, OverStaysInItsOwnFrameOfARecursion) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("factorial");
    EXPECT_EQ(driven.value("n"), "10");
    driven.session.over_line();
    driven.session.over_line();
    EXPECT_EQ(driven.value("n"), "10") << "the ten inner calls are over";
    Stop stop = driven.session.over_line();
    EXPECT_EQ(driven.function(), "main");
    EXPECT_TRUE(stop.left_function);
    ASSERT_TRUE(stop.returned);
    EXPECT_EQ(ValueReader(driven.session.target()).integer(stop.returned->value), 3628800u);
}

TEST(Stepping, IntoEntersTheFirstFunctionWithSource) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("main");
    while (driven.function() == "main") driven.session.into_line();
    EXPECT_EQ(driven.function(), "factorial");
    EXPECT_EQ(driven.value("n"), "10") << "its parameters are in place";
    driven.session.out();
    EXPECT_EQ(driven.function(), "main");
}

TEST(Stepping, IntoALibraryCallComesBackOnTheNextLine) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("locks.c:65");
    std::uint32_t before = driven.line();
    driven.session.into_line();  // strcpy
    EXPECT_EQ(driven.function(), "fill");
    EXPECT_EQ(driven.line(), before + 1);
}

TEST(Stepping, ByInstructionTouchesOneInstruction) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("main");
    RunAddress before = driven.session.selected_frame()->program_counter;
    Stop stop = driven.session.into_instruction();
    EXPECT_EQ(stop.target_stops, 1u);
    RunAddress after = driven.session.selected_frame()->program_counter;
    EXPECT_GT(after, before);
    EXPECT_LE(after - before, 15u);
}

TEST(Stepping, ReachSaysWhenThePlaceNeverCame) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("mean");
    Stop stop = driven.reach("factorial");  // its only call is over
    EXPECT_EQ(stop.reason, StopReason::exited);
    EXPECT_EQ(stop.exit_code, 3);
    EXPECT_EQ(stop.unreached, "factorial");
    EXPECT_THROW(driven.session.over_line(), RequestError);
}

// Each function of the fixture, its value read at its return, against what the program prints.
class Returns : public ::testing::TestWithParam<std::string> {};

TEST_P(Returns, EveryKindOfValue) {
    if (GetParam() == "clang" && !HAVE_CLANG) GTEST_SKIP() << "clang is not here";
    const std::vector<std::pair<std::string, std::string>> expected = {
        {"return_char", "81 'Q'"},
        {"return_bool", "true"},
        {"return_int", "-42"},
        {"return_long", "18369614221190020847"},
        {"return_float", "2.5"},
        {"return_double", "-0.125"},
        {"return_extended", "1.75"},
        {"return_pair", "{left = 3, right = 9}"},
        {"return_mixed", "{toll = 6.5, count = 12}"},
        {"return_floats", "{a = 1.5, b = 2.5, c = 3.5}"},
        {"return_large", "{words = {10, 20, 30, 40, 50}}"}};
    DrivenByLines driven("returns-" + GetParam());
    for (const auto& [function, text] : expected) {
        driven.reach(function);
        ASSERT_EQ(driven.function(), function);
        Stop stop = driven.session.out();
        ASSERT_EQ(stop.reason, StopReason::returned) << function;
        EXPECT_EQ(driven.function(), "main");
        EXPECT_EQ(
            one_line(make_view(ValueReader(driven.session.target()), "r", stop.returned->value)),
            text)
            << function;
    }
    driven.reach("return_nothing");
    Stop stop = driven.session.out();
    EXPECT_FALSE(stop.returned->value.is_available());
}

INSTANTIATE_TEST_SUITE_P(Compilers, Returns, ::testing::Values("gcc", "clang"));

TEST(Assignments, AreKnownFromTheWaysThroughTheFunction) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("fill");
    EXPECT_EQ(driven.local("filled").assignment, Assignment::not_yet);
    EXPECT_EQ(driven.local("late").assignment, Assignment::not_yet);
    EXPECT_EQ(driven.local("note").assignment, Assignment::not_yet);
    EXPECT_EQ(driven.local("rate").assignment, Assignment::assigned);
    driven.session.over_line();
    EXPECT_EQ(driven.local("filled").assignment, Assignment::assigned);
    EXPECT_EQ(driven.local("filled").text, "12");
    driven.session.over_line();
    EXPECT_EQ(driven.local("note").assignment, Assignment::unknown)
        << "strcpy was given its address";
    driven.reach("locks.c:70");
    EXPECT_EQ(driven.local("late").assignment, Assignment::not_yet)
        << "in the branch that sets it, before it does";
    driven.session.over_line();
    EXPECT_EQ(driven.local("late").assignment, Assignment::assigned) << "both branches set it";
}

TEST(Assignments, BeforeThePrologueEvenParametersAreNotSet) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("address &fill");
    EXPECT_EQ(driven.function(), "fill");
    EXPECT_EQ(driven.local("rate").assignment, Assignment::not_yet);
}

TEST(Assignments, AVariableOfALoopBodyIsFreshEachTime) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("locks.c:48");
    EXPECT_EQ(driven.local("level").assignment, Assignment::not_yet);
    driven.session.over_line();
    EXPECT_EQ(driven.local("level").assignment, Assignment::assigned);
    Stop again = driven.reach("locks.c:48");
    ASSERT_EQ(again.reason, StopReason::reached);
    EXPECT_EQ(driven.local("level").assignment, Assignment::not_yet);
}

TEST(Shadowing, ShowsBothAndMeansTheInner) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("locks.c:49");
    EXPECT_EQ(driven.value("level"), "0");
    EXPECT_EQ(driven.value("level#45"), "3") << "declared at line 45: the parameter";
    LocalsReport report = report_locals(driven.session.moment(), *driven.session.selected_frame());
    std::vector<std::pair<std::string, bool>> seen;
    for (const ValueView& view : report.variables) seen.emplace_back(view.name, view.is_shadowed);
    EXPECT_EQ(seen.front(), (std::pair<std::string, bool>{"level", false}));
    EXPECT_NE(std::find(seen.begin(), seen.end(), std::pair<std::string, bool>{"level", true}),
              seen.end());
}

TEST(Breakpoints, KeepTheirPlacesCountsAndConditionsOverARestart) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    Session& session = driven.session;
    session.add_breakpoint(session.place("factorial"), "n == 4");
    session.add_breakpoint(session.place("mean"));
    Stop stop = session.launch_again();
    EXPECT_EQ(stop.breakpoints, std::vector<unsigned>{1});
    EXPECT_EQ(driven.value("n"), "4");
    EXPECT_EQ(session.breakpoints().front().counts->passes, 6u) << "n from 10 to 5";
    stop = session.launch_again();
    EXPECT_EQ(stop.breakpoints, std::vector<unsigned>{1});
    session.switch_breakpoint(1, false);
    stop = session.launch_again();
    EXPECT_EQ(stop.breakpoints, std::vector<unsigned>{2});
    session.drop_breakpoint(2);
    EXPECT_EQ(session.continue_running().reason, StopReason::exited);
    EXPECT_THROW(session.drop_breakpoint(2), RequestError);
    EXPECT_THROW(session.add_breakpoint(session.place("factorial"), "n =="), ExpressionError);
}

TEST(Breakpoints, AConditionThatCannotBeComputedStops) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    Session& session = driven.session;
    session.add_breakpoint(session.place("factorial"), "n / (n - n) > 0");
    EXPECT_EQ(session.launch_again().reason, StopReason::breakpoint);
    EXPECT_NE(session.breakpoints().front().counts->problem.find("divides by zero"),
              std::string::npos);
}

TEST(Breakpoints, InALibraryAreFoundAgainAfterARestart) {
    DrivenByLines driven("trouble-gcc", {"busy"});
    Session& session = driven.session;
    EXPECT_THROW(session.add_breakpoint(session.place("puts")), RequestError)
        << "the library is not loaded yet";
    driven.reach("main");
    session.add_breakpoint(session.place("puts"));
    for (int round = 0; round < 2; ++round) {
        Stop stop = round ? session.launch_again() : session.continue_running();
        EXPECT_EQ(stop.reason, StopReason::breakpoint);
        EXPECT_NE(driven.function().find("puts"), std::string::npos);
        session.select_frame(1);
        EXPECT_EQ(driven.function(), "main");
    }
}

TEST(Changing, WritesVariablesElementsBitFieldsAndRegisters) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    driven.reach("fill");
    driven.session.assign("rate", "5");
    driven.session.assign("chamber->gates[1].angle", "99");
    driven.session.assign("tolls[0]", "1");
    driven.session.assign("chamber->name", "\"Sallow\"");
    EXPECT_EQ(driven.value("chamber->gates[1].angle"), "99");
    EXPECT_EQ(driven.value("chamber->gates[1].open"), "1") << "its neighbour stays";
    EXPECT_EQ(driven.value("tolls[0]"), "1.0");
    EXPECT_EQ(driven.value("chamber->name == \"Sallow\""), "1");
    driven.session.over_line();
    EXPECT_EQ(driven.value("filled"), "15");
    driven.session.assign("%rax", "0x1234");
    EXPECT_EQ(driven.value("%eax"), "4660");
    EXPECT_THROW(driven.session.assign("3", "4"), ExpressionError);
    EXPECT_THROW(driven.session.assign("chamber->name", "\"far too long a name\""),
                 ExpressionError);
    driven.session.select_frame(1);
    EXPECT_THROW(driven.session.assign("%rbx", "1"), RequestError);
}

TEST(Unwinding, FramesAndTheirVariablesAreTheProgramsOwn) {
    DrivenByLines driven("trouble-gcc", {"deep"});
    Session& session = driven.session;
    session.add_breakpoint(session.place("deeper"), "depth == 0");
    session.launch_again();
    StackReport report = report_stack(session.moment(), 1000);
    EXPECT_GE(report.total, 202u);
    EXPECT_TRUE(report.why_ended.empty()) << report.why_ended;
    EXPECT_EQ(report.rows[0].parameters.at(0).text, "0");
    EXPECT_EQ(report.rows[1].repeats, 200u) << "the same call, folded";
    session.select_frame(137);
    EXPECT_EQ(driven.value("depth"), "137");
    EXPECT_THROW(session.select_frame(100000), RequestError);
}

struct Trouble {
    const char* how;
    const char* part;
    const char* function;
};
class Signals : public ::testing::TestWithParam<Trouble> {};

TEST_P(Signals, StopTheProgramBeforeTheyEndIt) {
    DrivenByLines driven("trouble-gcc", {GetParam().how});
    Stop stop = driven.session.launch_again();
    ASSERT_EQ(stop.reason, StopReason::signal);
    EXPECT_NE(signal_sentence(driven.session.moment(), stop).find(GetParam().part),
              std::string::npos)
        << signal_sentence(driven.session.moment(), stop);
    bool on_stack = false;
    for (const StackRow& row : report_stack(driven.session.moment(), 20).rows)
        on_stack |= row.function == GetParam().function;
    EXPECT_TRUE(on_stack) << GetParam().function;
    Stop end = driven.session.continue_running();
    EXPECT_EQ(end.reason, StopReason::killed);
    EXPECT_EQ(end.signal, stop.signal);
}

INSTANTIATE_TEST_SUITE_P(
    Ways, Signals,
    ::testing::Values(Trouble{"null", "read address 0x0, where nothing is mapped: a null pointer",
                              "draught_of"},
                      Trouble{"zero", "divided a whole number by zero", "share"},
                      Trouble{"abort", "gave up by itself", "main"},
                      Trouble{"call", "called a function through a null pointer", "main"},
                      Trouble{"signal", "SIGTERM: somebody asked it to end", "main"}),
    [](const auto& info) { return info.param.how; });

TEST(Changes, AreSeenInTheSameFrameOnly) {
    DrivenByLines driven("locks-gcc-O0-dwarf5-pie");
    ChangeTracker tracker;
    std::size_t more = 0;
    auto look = [&] {
        const Frame& frame = *driven.session.selected_frame();
        return tracker.observe(frame, report_locals(driven.session.moment(), frame), 8, more);
    };
    driven.reach("shadowed");
    EXPECT_TRUE(look().empty()) << "the first look compares with nothing";
    driven.session.over_line();
    auto changes = look();
    ASSERT_EQ(changes.size(), 1u);
    EXPECT_EQ(changes[0].name, "total");
    EXPECT_TRUE(changes[0].was_unset);
    EXPECT_EQ(changes[0].after, "3");
    driven.reach("mean");
    EXPECT_TRUE(look().empty()) << "another function's frame";
}

TEST(Threads, OutFollowsItsOwnThreadThoughAllPassTheSamePlace) {
    for (int round = 0; round < 10; ++round) {
        DrivenByLines driven("trouble-gcc", {"threads"});
        driven.reach("turn");
        ThreadId thread = driven.session.thread();
        Stop stop = driven.session.out();
        ASSERT_EQ(stop.reason, StopReason::returned)
            << "round " << round << ": signal " << stop.signal << ", fault " << stop.is_fault
            << " at " << stop.fault_address.value << ", thread " << stop.thread << " of " << thread;
        EXPECT_EQ(driven.session.thread(), thread);
        EXPECT_EQ(driven.function(), "keeper");
    }
}

TEST(Threads, EachMeetsABreakpointThatTheyReachTogether) {
    for (int round = 0; round < 10; ++round) {
        DrivenByLines driven("trouble-gcc", {"threads"});
        driven.session.add_breakpoint(driven.session.place("turn"));
        std::set<ThreadId> met;
        for (Stop stop = driven.session.launch_again(); !stop.is_end();
             stop = driven.session.continue_running()) {
            ASSERT_EQ(stop.reason, StopReason::breakpoint);
            met.insert(stop.thread);
        }
        EXPECT_EQ(met.size(), 4u) << "round " << round;
        EXPECT_EQ(driven.session.breakpoints().front().counts->hits, 4u);
        EXPECT_EQ(driven.session.last_stop().exit_code, 12);
    }
}

TEST(Threads, AStepOfOneIsNotDisturbedByTheOthers) {
    DrivenByLines driven("trouble-gcc", {"threads"});
    Session& session = driven.session;
    session.add_breakpoint(session.place("keeper"));
    Stop stop = session.launch_again();
    ASSERT_EQ(stop.reason, StopReason::breakpoint);
    unsigned hits = 1;
    for (;;) {
        std::string argument = driven.value("argument");
        Stop step = session.over_line();
        if (step.reason == StopReason::stepped) {
            EXPECT_EQ(driven.value("argument"), argument) << "still the same thread";
        }
        Stop next = session.continue_running();
        if (next.is_end()) {
            EXPECT_EQ(next.exit_code, 12);
            break;
        }
        ASSERT_LT(++hits, 20u);
    }
}

}  // namespace
}  // namespace lantern
