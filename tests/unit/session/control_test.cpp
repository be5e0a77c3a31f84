// Stopping exactly when it matters: counts, conditions, notes, watchpoints, events, and movements
// in every corner.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>

#include "core/analysis/locals_report.h"
#include "core/analysis/stop_report.h"
#include "core/analysis/threads_report.h"
#include "core/session/session.h"
#include "core/support/error.h"
#include "tests/testing/command.h"
#include "tests/testing/launching.h"

namespace lantern {
namespace {

using testing::fixture;

struct Controlled {
    explicit Controlled(std::vector<std::string> arguments,
                        const std::string& program = "control-gcc-O0")
        : session(testing::quiet_launch(fixture(program), std::move(arguments)), {}) {}

    const Breakpoint& pause_at(const std::string& place) {
        wish.place = session.place(place);
        return add();
    }
    const Breakpoint& pause_on(Cause cause, const std::string& subject = {}) {
        wish.cause = cause;
        wish.subject = subject;
        return add(true);
    }
    const Breakpoint& add(bool may_wait = false) {
        Breakpoint taken = std::exchange(wish, {});
        return session.add_breakpoint(std::move(taken), may_wait);
    }
    std::string value(const std::string& expression) {
        return one_line(
            make_view(ValueReader(session.target()), "x", evaluate(expression, session.context())));
    }
    std::uint32_t line() {
        const Frame* frame = session.selected_frame();
        return frame && frame->line ? frame->line->line : 0;
    }
    std::string function() { return frame_function_name(*session.selected_frame()); }
    // The line of the fixture that has this text: the one witness for where a movement should
    // arrive.
    std::uint32_t line_with(const std::string& text) {
        const Frame* frame = session.selected_frame();
        std::ifstream source(frame->line->file);
        std::uint32_t number = 0;
        for (std::string each; std::getline(source, each);) {
            ++number;
            if (each.find(text) != std::string::npos) return number;
        }
        return 0;
    }
    Breakpoint wish;
    Session session;
};

// Every compiler and optimisation that the fixture was built with.
std::vector<std::string> builds_of(const std::string& name) {
    std::vector<std::string> all{name + "-gcc-O0", name + "-gcc-O2"};
    if (HAVE_CLANG) all.insert(all.end(), {name + "-clang-O0", name + "-clang-O2"});
    return all;
}

// ---- counts

TEST(Counts, AfterAndEveryAndOnce) {
    Controlled at({"count", "1", "100"});
    at.wish.after = 10;
    at.wish.every = 30;
    at.pause_at("pass");
    EXPECT_EQ(at.session.launch_again().reason, StopReason::breakpoint);
    EXPECT_EQ(at.value("turn"), "39") << "ten passed, then each thirtieth";
    at.session.continue_running();
    EXPECT_EQ(at.value("turn"), "69");
    EXPECT_EQ(at.session.breakpoints().front().counts->hits, 2u);
    EXPECT_EQ(at.session.breakpoints().front().counts->passes, 68u);

    Controlled once({"count", "1", "100"});
    once.wish.once = true;
    once.pause_at("pass");
    once.session.launch_again();
    EXPECT_EQ(once.value("turn"), "0");
    EXPECT_TRUE(once.session.continue_running().is_end());
    EXPECT_FALSE(once.session.breakpoints().front().is_on);
}

TEST(Counts, OneThreadAmongMany) {
    Controlled at({"count", "4", "50"});
    at.wish.thread = 3;
    at.pause_at("pass");
    Stop stop = at.session.launch_again();
    for (int i = 0; i < 5; ++i) {
        ASSERT_EQ(stop.reason, StopReason::breakpoint);
        EXPECT_EQ(at.session.thread_number(), 3u);
        EXPECT_EQ(at.value("barge"), "1") << "the second keeper's";
        EXPECT_EQ(at.value("turn"), std::to_string(i));
        stop = at.session.continue_running();
    }
}

TEST(Counts, AConditionAmongManyThreadsIsCountedExactly) {
    Controlled at({"count", "16", "200"});
    at.wish.condition = "barge == 9 && turn == 150";
    at.pause_at("pass");
    ASSERT_EQ(at.session.launch_again().reason, StopReason::breakpoint);
    EXPECT_EQ(at.value("barge * 1000 + turn"), "9150");
    EXPECT_TRUE(at.session.continue_running().is_end());
    const Breakpoint& counted = at.session.breakpoints().front();
    EXPECT_EQ(counted.counts->hits, 1u);
    EXPECT_EQ(counted.counts->passes, 3199u);
}

TEST(Counts, PatternsAreOneBreakpointWithManySites) {
    Controlled at({"loops"});
    EXPECT_GE(at.pause_at("*_life").sites.size(), 1u);
    const Breakpoint& all = at.pause_at("*watch*");
    std::set<std::string> functions;
    for (const auto& site : all.sites) functions.insert(site.code.function);
    EXPECT_EQ(functions, (std::set<std::string>{"local_watched", "watch"}));
    EXPECT_THROW(at.pause_at("nothing_*"), RequestError);
}

// Whatever the optimiser made of a line: where a step sees one of its statements begin, a
// breakpoint on it is met.
TEST(Counts, EveryLineThatRunsCanBeStoppedAt) {
    for (const std::string& program : builds_of("control")) {
        std::set<std::uint32_t> ran;
        Controlled traced({"loops"}, program);
        traced.session.reach(traced.session.place("loops"));
        while (traced.function() == "loops") {
            const Frame* frame = traced.session.selected_frame();
            bool begins = frame->line && frame->line->is_statement &&
                          frame->module->to_run(frame->line->range.low) == frame->program_counter;
            if (begins) ran.insert(frame->line->line);
            if (traced.session.over_instruction().is_end()) break;
        }
        if (program.ends_with("O0")) {
            EXPECT_GE(ran.size(), 4u) << program;
        }
        for (std::uint32_t line : ran) {
            Controlled at({"loops"}, program);
            const Breakpoint& set = at.pause_at("control.c:" + std::to_string(line));
            Stop stop = at.session.launch_again();
            EXPECT_EQ(stop.reason, StopReason::breakpoint)
                << program << " line " << line << ", " << set.sites.size() << " sites";
        }
    }
}

// ---- notes

TEST(Notes, RecordWithoutStopping) {
    Controlled at({"count", "2", "40"});
    at.wish.noted = {"toll", "barge", "turn / 2.0", "&passages"};
    at.wish.place = at.session.place("control.c:19");
    at.wish.condition = "turn % 2 == 0";
    at.add();
    EXPECT_TRUE(at.session.launch_again().is_end());
    const auto& rows = at.session.notes().rows();
    ASSERT_EQ(rows.size(), 40u);
    for (const NoteRow& row : rows) {
        ASSERT_EQ(row.values.size(), 4u);
        EXPECT_EQ(std::get<std::int64_t>(row.values[0]) / 10,
                  std::get<std::int64_t>(row.values[1]));
        EXPECT_EQ(std::get<double>(row.values[2]),
                  static_cast<double>(static_cast<int>(std::get<double>(row.values[2]))));
        EXPECT_NE(std::get<std::string>(row.values[3]).find("passages"), std::string::npos);
        EXPECT_GE(row.thread, 2u);
    }
    EXPECT_EQ(rows.back().hit, 40u);
    EXPECT_LE(rows.front().seconds, rows.back().seconds);
}

TEST(Notes, ALimitEndsThem) {
    Controlled at({"count", "1", "100"});
    at.wish.noted = {"turn", "1 / (turn - turn)"};
    at.wish.place = at.session.place("pass");
    at.wish.note_limit = 7;
    EXPECT_NO_THROW(at.add()) << "what cannot be computed is found out where the note is met";
    EXPECT_TRUE(at.session.launch_again().is_end());
    EXPECT_EQ(at.session.notes().rows().size(), 7u);
    EXPECT_TRUE(std::holds_alternative<std::monostate>(at.session.notes().rows()[3].values[1]));
    EXPECT_EQ(noted_text(NotedValue(2.5)), "2.5");
    EXPECT_EQ(noted_text(NotedValue(std::int64_t{-3})), "-3");
    EXPECT_EQ(noted_text(NotedValue()), "");
}

// ---- watchpoints

TEST(Watchpoints, TellTheStatementThatWrote) {
    for (const std::string& program : builds_of("control")) {
        Controlled at({"watch"}, program);
        at.session.reach(at.session.place("watch"));
        at.pause_on(Cause::write, "level");
        std::vector<std::pair<std::string, std::string>> seen;
        std::set<std::string> statements;
        for (Stop stop = at.session.continue_running(); !stop.is_end();
             stop = at.session.continue_running()) {
            ASSERT_EQ(stop.reason, StopReason::event) << program;
            ASSERT_EQ(stop.changes.size(), 1u);
            const WatchChange& change = stop.changes[0];
            ValueReader reader(at.session.target());
            seen.emplace_back(std::to_string(reader.integer(change.before)),
                              std::to_string(reader.integer(change.after)));
            statements.insert(at.session.sources().line(change.file, change.line).value_or("?"));
        }
        // An optimised build may put writes together, and what is told must still be one chain from
        // 0 to 3.
        ASSERT_FALSE(seen.empty()) << program;
        EXPECT_EQ(seen.front().first, "0") << program;
        EXPECT_EQ(seen.back().second, "3") << program;
        for (std::size_t i = 1; i < seen.size(); ++i)
            EXPECT_EQ(seen[i].first, seen[i - 1].second) << program;
        if (program.ends_with("O0")) {
            EXPECT_EQ(seen.size(), 3u) << program;
        }
        for (const std::string& text : statements)
            EXPECT_NE(text.find("level"), std::string::npos) << program << ": " << text;
    }
}

TEST(Watchpoints, AConditionAndAccess) {
    Controlled at({"watch"});
    at.session.reach(at.session.place("watch"));
    at.wish.condition = "level == 3";
    at.pause_on(Cause::write, "level");
    Stop stop = at.session.continue_running();
    EXPECT_EQ(at.value("level"), "3");
    EXPECT_EQ(at.session.breakpoints().front().counts->passes, 2u);
    at.session.drop_breakpoint(1);

    at.session.reach(at.session.place("watch"));
    Controlled reads({"watch"});
    reads.session.reach(reads.session.place("watch"));
    reads.pause_on(Cause::access, "level");
    unsigned written = 0, read = 0;
    for (stop = reads.session.continue_running(); !stop.is_end();
         stop = reads.session.continue_running())
        for (const WatchChange& change : stop.changes)
            ++(change.touched == Touched::changed ? written : read);
    EXPECT_EQ(written, 3u);
    EXPECT_GE(read, 3u);
}

TEST(Watchpoints, ALocalsEndsWithItsFrame) {
    Controlled at({"watch"});
    at.session.reach(at.session.place("local_watched"));
    const Breakpoint& watch = at.pause_on(Cause::write, "gauge");
    ASSERT_TRUE(watch.watched->owner);
    EXPECT_EQ(watch.watched->owner->function, "local_watched");
    std::vector<std::string> values;
    Stop stop = at.session.continue_running();
    for (; stop.reason == StopReason::event; stop = at.session.continue_running())
        values.push_back(at.value("gauge"));
    EXPECT_EQ(values, (std::vector<std::string>{"10", "15", "30"}));
    EXPECT_EQ(stop.reason, StopReason::watch_ended);
    ASSERT_EQ(stop.facts.size(), 1u);
    EXPECT_EQ(stop.facts[0].text, "gauge is gone: local_watched has returned");
    EXPECT_TRUE(at.session.continue_running().is_end()) << "and what lies there later stops nobody";
}

TEST(Watchpoints, FollowingLooksTheExpressionUpAgain) {
    for (bool follows : {true, false}) {
        Controlled at({"watch"});
        at.session.reach(at.session.place("watch"));
        at.wish.watched = std::make_shared<WatchedValue>();
        at.wish.watched->follows = follows;
        at.pause_on(Cause::write, "levels[level % 3]");
        at.session.over_line();  // level is 1 from here on, and levels[1] is meant
        Stop stop = at.session.continue_running();
        EXPECT_EQ(stop.reason == StopReason::event, follows);
        if (follows) {
            EXPECT_EQ(at.value("levels[1]"), "5");
        }
    }
}

TEST(Watchpoints, AWholeStructureByPages) {
    Controlled at({"watch"});
    at.session.reach(at.session.place("watch"));
    EXPECT_TRUE(at.pause_on(Cause::write, "day.sheet").watched->by_pages);
    std::vector<std::string> changed;
    Stop stop = at.session.continue_running();
    for (; stop.reason == StopReason::event; stop = at.session.continue_running())
        for (const WatchChange& change : stop.changes)
            changed.push_back(change.expression + (change.by.empty() ? "" : " by " + change.by));
    ASSERT_GE(changed.size(), 4u);
    EXPECT_EQ(changed[0], "day.sheet.entries[7]");
    EXPECT_EQ(changed[1], "day.sheet.entries[499]");
    EXPECT_EQ(changed[2], "day.sheet.head by the system call read");
    EXPECT_EQ(changed[3], "day.sheet.tail");
    EXPECT_TRUE(stop.is_end());
    EXPECT_EQ(stop.exit_code, 0);
}

TEST(Watchpoints, FourRegistersAndThenPages) {
    Controlled at({"watch"});
    at.session.reach(at.session.place("watch"));
    EXPECT_EQ(at.pause_on(Cause::write, "levels").watched->debug_registers.size(), 2u)
        << "twelve bytes are eight and four";
    EXPECT_EQ(at.pause_on(Cause::write, "level").watched->debug_registers.size(), 1u);
    EXPECT_EQ(at.pause_on(Cause::write, "passages").watched->debug_registers.size(), 1u);
    EXPECT_TRUE(at.pause_on(Cause::write, "rung").watched->by_pages) << "all four are taken";
    at.session.drop_breakpoint(2);
    EXPECT_FALSE(at.pause_on(Cause::write, "wanted_passes").watched->by_pages)
        << "one is free again";
    EXPECT_THROW(at.pause_on(Cause::write, "level + 1"), RequestError);
    EXPECT_THROW(at.pause_on(Cause::write, "%rax"), RequestError);
}

TEST(Watchpoints, ByStepsOnlyOnRequest) {
    Controlled at({"watch"});
    at.session.reach(at.session.place("local_watched"));
    at.wish.watched = std::make_shared<WatchedValue>();
    at.wish.watched->by_steps = true;
    at.pause_on(Cause::write, "gauge");
    Stop stop = at.session.continue_running();
    ASSERT_EQ(stop.reason, StopReason::event);
    EXPECT_EQ(at.value("gauge"), "10");
    EXPECT_EQ(stop.changes[0].line, at.line_with("long gauge = start"));
}

// ---- events

TEST(Events, LibrariesBringPlacesAndTakeThemAway) {
    Controlled at({"plugin", fixture("libplugin.so")});
    EXPECT_THROW(at.pause_at("plugin_toll"), RequestError) << "nothing has it yet";
    at.wish.place = at.session.place("plugin_toll");
    EXPECT_TRUE(at.add(true).sites.empty());
    for (int round = 0; round < 2; ++round) {
        Stop stop = round ? at.session.continue_running() : at.session.launch_again();
        ASSERT_EQ(stop.reason, StopReason::breakpoint) << round;
        EXPECT_EQ(at.function(), "plugin_toll");
        EXPECT_EQ(at.value("barge"), std::to_string(20 + round));
    }
    EXPECT_EQ(at.session.continue_running().exit_code, 0);
}

TEST(Events, SystemCallsByNameWithTheirArguments) {
    Controlled at({"loops"});
    at.pause_on(Cause::system_call, "write");
    Stop stop = at.session.launch_again();
    ASSERT_EQ(stop.reason, StopReason::event);
    EXPECT_EQ(stop.facts[0].text, "write(1, \"sum=318\\n\", 8)");
    stop = at.session.continue_running();
    ASSERT_EQ(stop.facts.size(), 2u);
    EXPECT_EQ(stop.facts[1].text, "8");
    EXPECT_TRUE(at.session.continue_running().is_end());
}

// The step would arrive nowhere any more: the program would run to its end, or, with the others
// held, never move again.
TEST(Events, TheEndOfTheThreadThatIsSteppedEndsTheStep) {
    Controlled threads({"short", "3"});
    threads.pause_at("short_life");
    StepOptions alone;
    alone.alone = true;
    auto lines_to_the_end = [&](const StepOptions& wish) {
        Stop stop = threads.session.over_line(wish);
        while (stop.reason == StopReason::stepped) stop = threads.session.over_line(wish);
        return stop;
    };
    auto is_its_end = [](const Stop& stop) {
        return stop.reason == StopReason::event && stop.cause == Cause::thread_end &&
               stop.breakpoints.empty();
    };
    ASSERT_EQ(threads.session.launch_again().reason, StopReason::breakpoint);
    EXPECT_TRUE(is_its_end(lines_to_the_end({})));
    EXPECT_THROW(threads.session.over_line(alone), RequestError);
    EXPECT_THROW(threads.session.into_instruction(), RequestError);
    ASSERT_EQ(threads.session.continue_running().reason, StopReason::breakpoint);
    EXPECT_TRUE(is_its_end(threads.session.continue_running(alone)));
    ASSERT_EQ(threads.session.continue_running().reason, StopReason::breakpoint);
    EXPECT_TRUE(is_its_end(lines_to_the_end(alone)));
    EXPECT_EQ(threads.session.continue_running().exit_code, 0);
}

TEST(Events, ThreadsExitsForksAndSignals) {
    Controlled threads({"short", "3"});
    threads.pause_on(Cause::thread_start);
    unsigned starts = 0;
    Stop stop = threads.session.launch_again();
    for (; stop.reason == StopReason::event; stop = threads.session.continue_running()) {
        EXPECT_EQ(stop.cause, Cause::thread_start);
        ++starts;
    }
    EXPECT_EQ(starts, 3u);

    Controlled ends({"loops"});
    ends.pause_on(Cause::exit);
    stop = ends.session.launch_again();
    ASSERT_EQ(stop.reason, StopReason::event);
    EXPECT_EQ(stop.facts[0].text, "exit status 0");
    EXPECT_TRUE(ends.session.continue_running().is_end());

    Controlled forks({"fork"});
    forks.pause_on(Cause::fork);
    stop = forks.session.launch_again();
    ASSERT_EQ(stop.reason, StopReason::event);
    EXPECT_EQ(forks.function(), "fork_child") << "the user's own code, not the library's";
    EXPECT_EQ(forks.session.continue_running().exit_code, 0);

    Controlled bell({"bell"});
    bell.pause_on(Cause::signal, "SIGUSR1");
    stop = bell.session.launch_again();
    EXPECT_EQ(stop.reason, StopReason::signal);
    EXPECT_EQ(stop.breakpoints, std::vector<unsigned>{1});
    bell.session.signals().set(stop.signal, SignalRule::swallow);
    bell.session.drop_breakpoint(1);
    EXPECT_TRUE(bell.session.continue_running().is_end());
}

TEST(Events, ExceptionsWithTypeAndText) {
    for (const std::string& program : builds_of("steps")) {
        Controlled at({"uncaught"}, program);
        at.pause_on(Cause::thrown);
        at.pause_on(Cause::caught, "TollError");
        Stop stop = at.session.launch_again();
        ASSERT_EQ(stop.reason, StopReason::event) << program;
        EXPECT_EQ(stop.cause, Cause::thrown);
        EXPECT_EQ(stop.facts[0].text, "canal::TollError: toll too high") << program;
        ASSERT_GE(stop.facts.size(), 2u);
        EXPECT_NE(stop.facts[1].text.find("chamber = 95"), std::string::npos);
        stop = at.session.continue_running();
        EXPECT_EQ(stop.cause, Cause::caught) << program;
        EXPECT_EQ(stop.facts[0].label, "caught");
        stop = at.session.continue_running();
        EXPECT_EQ(stop.cause, Cause::thrown) << "the one nobody catches";
        stop = at.session.continue_running();
        EXPECT_EQ(stop.reason, StopReason::signal);
        EXPECT_TRUE(at.session.continue_running().is_end());
    }
}

TEST(Events, AnExceptionOfAnotherTypePasses) {
    Controlled at({}, "steps-gcc-O0");
    at.pause_on(Cause::thrown, "SomethingElse");
    EXPECT_TRUE(at.session.launch_again().is_end());
    EXPECT_EQ(at.session.breakpoints().front().counts->hits, 0u);
}

TEST(Events, RustPanicsWithWhatTheySay) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here: SKIPPED";
    Controlled at({}, "panics");
    at.pause_on(Cause::panic);
    Stop stop = at.session.launch_again();
    ASSERT_EQ(stop.reason, StopReason::event);
    EXPECT_EQ(stop.cause, Cause::panic);
    ASSERT_FALSE(stop.facts.empty());
    EXPECT_EQ(stop.facts[0].text, "a barge of -4 tons");
    EXPECT_NE(at.function().find("weigh"), std::string::npos) << "the user's own code is looked at";
    stop = at.session.continue_running();
    ASSERT_FALSE(stop.facts.empty());
    EXPECT_NE(stop.facts[0].text.find("index out of bounds: the len is 2 but the index is 6"),
              std::string::npos);
    EXPECT_EQ(at.session.continue_running().exit_code, 101);
}

TEST(Movements, OverEndsWhereACaughtPanicLands) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here: SKIPPED";
    Controlled at({}, "panics");
    at.session.reach(at.session.place("panics.rs:15"));
    Stop stop = at.session.over_line();
    EXPECT_FALSE(stop.is_end());
    EXPECT_EQ(at.function(), "panics::main");
    EXPECT_GE(at.line(), 15u);
    EXPECT_LE(at.line(), 16u);
}

// ---- movements

TEST(Movements, OverEndsWhereLongjmpLands) {
    for (const std::string& program : builds_of("control")) {
        Controlled at({"jump"}, program);
        at.session.reach(at.session.place("jump"));
        Stop stop;
        for (int i = 0; i < 8 && stop.facts.empty(); ++i) stop = at.session.over_line();
        ASSERT_FALSE(stop.facts.empty()) << program;
        EXPECT_EQ(stop.facts[0].text, "longjmp came here");
        EXPECT_EQ(at.function(), "jump") << program;
        EXPECT_EQ(at.line(), at.line_with("int how = setjmp")) << program;
    }
}

TEST(Movements, OverEndsInTheHandlerOfAnException) {
    for (const std::string& program : builds_of("steps")) {
        Controlled at({}, program);
        at.session.reach(at.session.place("catching"));
        Stop stop;
        for (int i = 0; i < 8 && stop.facts.empty(); ++i) stop = at.session.over_line();
        ASSERT_FALSE(stop.facts.empty()) << program;
        EXPECT_EQ(stop.facts[0].text, "canal::TollError: toll too high") << program;
        EXPECT_GE(at.line(), at.line_with("} catch (const TollError& error)")) << program;
        EXPECT_LE(at.line(), at.line_with("return got;")) << program;
    }
}

TEST(Movements, OverShowsWhatTheCallsReturned) {
    Controlled at({}, "steps-gcc-O0");
    at.session.reach(at.session.place("values_returned"));
    std::map<std::string, std::string> returned;
    for (int i = 0; i < 5; ++i)
        for (const ReturnedValue& call : at.session.over_line().calls)
            returned[call.function] =
                one_line(make_view(ValueReader(at.session.target()), "x", call.value));
    EXPECT_EQ(returned["canal::pair_of"], "{a = 8, b = 4.0}");
    EXPECT_EQ(returned["canal::large_of"], "{words = {3, 4, 5, 6, 7, 8}}");
    EXPECT_EQ(returned["canal::name_of"], "\"barge 4\"");
    EXPECT_EQ(returned["canal::is_open"], "true");
    EXPECT_EQ(returned["canal::ratio_of"], "0.75");
}

TEST(Movements, IntoFindsTheUsersFunctionThroughWhateverLiesBetween) {
    struct Way {
        const char* line;
        const char* function;
    };
    for (const char* program : {"steps-gcc-O0", "steps-clang-O0", "steps-lazy"}) {
        if (!HAVE_CLANG && std::string(program) == "steps-clang-O0") continue;
        for (const Way& way : {Way{"// virtual", "canal::TailGate::open"},
                               Way{"// through a thunk", "canal::TailGate::mark"},
                               Way{"// through std::function", "twice"}}) {
            Controlled at({}, program);
            at.session.reach(at.session.place("use_all"));
            while (at.line() != at.line_with(way.line)) at.session.over_line();
            Stop stop = at.session.into_line();
            EXPECT_EQ(at.function(), way.function) << program;
            EXPECT_LE(stop.target_stops, 120u);
        }
    }
}

TEST(Movements, IntoANamedOneOfSeveral) {
    Controlled at({}, "steps-gcc-O0");
    at.session.reach(at.session.place("use_all"));
    while (at.line() != at.line_with("// two calls")) at.session.over_line();
    StepOptions wish;
    wish.into = "check";
    at.session.into_line(wish);
    EXPECT_EQ(at.function(), "canal::check");
}

TEST(Movements, OutOfLoopsOneByOne) {
    for (const std::string& program :
         {std::string("control-gcc-O0"),
          std::string(HAVE_CLANG ? "control-clang-O0" : "control-gcc-O0")}) {
        Controlled at({"loops"}, program);
        at.session.reach(at.session.place("loops"));
        while (at.line() != at.line_with("sum += lock * gate")) at.session.over_line();
        at.session.out_of_loop();
        EXPECT_EQ(at.line(), at.line_with("sum += 100")) << program;
        EXPECT_EQ(at.value("lock"), "0");
        at.session.out_of_loop();
        EXPECT_EQ(at.line(), at.line_with("sum=%d")) << program;
        EXPECT_EQ(at.value("sum"), "318");
        EXPECT_THROW(at.session.out_of_loop(), RequestError);
    }
}

TEST(Movements, DivertAndLeave) {
    Controlled at({"loops"});
    at.session.reach(at.session.place("loops"));
    at.session.over_line();
    EXPECT_EQ(at.session.divert(at.session.place(std::to_string(at.line_with("sum=%d")))), "");
    EXPECT_EQ(at.line(), at.line_with("sum=%d"));
    EXPECT_EQ(at.value("sum"), "0") << "the loops did not run";
    EXPECT_NE(at.session.divert(at.session.place("pass")).find("another function, pass"),
              std::string::npos);

    Controlled deep({"deep", "20"});
    deep.session.add_breakpoint(deep.session.place("descend"), "depth == 5");
    deep.session.launch_again();
    Stop stop = deep.session.leave("depth * 100");
    EXPECT_EQ(stop.reason, StopReason::returned);
    EXPECT_EQ(deep.value("depth"), "6") << "in the caller";
    deep.session.over_line();
    EXPECT_EQ(deep.value("below"), "500");
}

TEST(Movements, OutOfADeepRecursionAndOverADeepCallStopFew) {
    Controlled at({"deep", "10000"});
    at.session.reach(at.session.place("descend"));
    while (at.line() != at.line_with("int below = descend")) at.session.over_line();
    Stop over = at.session.over_line();
    EXPECT_EQ(at.value("below"), "9999");
    EXPECT_LE(over.target_stops, 10u);
    Controlled inner({"deep", "10000"});
    inner.session.add_breakpoint(inner.session.place("descend"), "depth == 0");
    inner.session.launch_again();
    inner.session.select_frame(9999);
    Stop out = inner.session.out();
    EXPECT_EQ(inner.value("depth"), "10000");
    EXPECT_LE(out.target_stops, 10u) << "ten thousand returns to the same address";
}

TEST(Movements, ASignalHandlerInTheMiddleDoesNotConfuseAStep) {
    Controlled at({"bell"});
    at.session.reach(at.session.place("bell"));
    for (const char* text :
         {"raise(SIGUSR1)", "int after = rung", "kill(getpid()", "after += rung"}) {
        at.session.over_line();
        EXPECT_EQ(at.function(), "bell");
        EXPECT_EQ(at.line(), at.line_with(text));
    }
    EXPECT_EQ(at.value("rung"), "20");
}

// ---- meanwhile, attach, rebuilds

TEST(Meanwhile, BreakpointsAreSetWhileTheProgramRuns) {
    Controlled at({"spin"});
    at.session.reach(at.session.place("count"));
    EXPECT_FALSE(at.session.begin_meanwhile([&] { return at.session.continue_running(); }));
    EXPECT_TRUE(at.session.is_moving());
    EXPECT_THROW(at.session.stack(), RequestError);
    EXPECT_THROW(at.session.continue_running(), RequestError);
    EXPECT_TRUE(testing::eventually([&] { return at.value("wanted_passes") == "100000"; }))
        << "memory can be read";
    at.session.add_breakpoint(at.session.place("pass"), "turn == 77");
    Stop stop = at.session.wait();
    EXPECT_EQ(stop.reason, StopReason::breakpoint);
    EXPECT_EQ(at.value("turn"), "77");
    at.session.switch_breakpoint(1, false);
    EXPECT_FALSE(at.session.begin_meanwhile([&] { return at.session.continue_running(); }));
    EXPECT_EQ(at.session.pause().reason, StopReason::paused);
    EXPECT_GE(report_threads(at.session.moment()).rows.size(), 1u);
}

TEST(Meanwhile, AStepOfManyLegsGoesOnAndEndsWhereItShould) {
    Controlled at({"count", "2", "2000000000"});  // longer than any test
    at.session.reach(at.session.place("count"));
    // Over the threads' whole life: it takes its time, and the program can be looked at.
    auto stop = at.session.begin_meanwhile([&] {
        Stop last = at.session.over_line();
        for (int i = 0; i < 2 && last.reason == StopReason::stepped; ++i)
            last = at.session.over_line();
        return last;
    });
    EXPECT_FALSE(stop);
    at.session.add_breakpoint(at.session.place("pass"), "turn > 50");
    Stop met = at.session.wait();
    EXPECT_EQ(met.reason, StopReason::breakpoint);
    at.session.switch_breakpoint(1, false);
    auto out = at.session.begin_meanwhile([&] { return at.session.out(); });
    if (!out) out = at.session.wait();
    EXPECT_EQ(out->reason, StopReason::returned);
    EXPECT_THROW(at.session.begin_meanwhile([]() -> Stop { throw RequestError("no berth"); }),
                 RequestError);
    EXPECT_FALSE(at.session.is_moving());
}

TEST(Meanwhile, WhatIsGivenUpLeavesNothingBehind) {
    Controlled at({"spin"});
    at.session.reach(at.session.place("count"));
    EXPECT_FALSE(
        at.session.begin_meanwhile([&] { return at.session.reach(at.session.place("loops")); }));
    EXPECT_TRUE(at.session.is_moving());
    at.session.kill();
    EXPECT_FALSE(at.session.is_running());
    EXPECT_EQ(at.session.launch({"loops"}).reason, StopReason::exited)
        << "the place of the movement that was given up is forgotten";
}

// ---- control that leaves otherwise than by return

TEST(Movements, ACoroutineThatGivesWayEndsTheStepWhereControlLands) {
    Controlled at({}, "sluices-gcc");
    at.session.reach(at.session.place("main"));
    at.session.reach(
        at.session.place(fmt::format("sluices.cpp:{}", at.line_with("the second part"))));
    EXPECT_EQ(at.function(), "fill");
    for (int i = 0; i < 8 && at.function() == "fill"; ++i) at.session.over_line();
    EXPECT_EQ(at.function(), "coroutines");
    EXPECT_GE(at.line(), at.line_with("// the rest"));
    at.session.launch_again();
    at.session.reach(at.session.place("main"));
    at.session.reach(
        at.session.place(fmt::format("sluices.cpp:{}", at.line_with("// the first part runs"))));
    at.session.over_line();
    EXPECT_EQ(at.function(), "coroutines") << "over a resumption comes back";
    EXPECT_EQ(at.line(), at.line_with("int first"));
    at.session.over_line();
    EXPECT_EQ(at.value("first"), "20");
}

TEST(Events, AnExceptionThatIsThrownAgainIsMetAgain) {
    Controlled at({}, "sluices-gcc");
    at.session.reach(at.session.place("main"));
    at.pause_on(Cause::thrown, "TollError");
    Stop first = at.session.continue_running(), second = at.session.continue_running();
    ASSERT_FALSE(first.facts.empty());
    ASSERT_FALSE(second.facts.empty());
    EXPECT_EQ(first.facts[0].label, "threw");
    EXPECT_EQ(second.facts[0].label, "threw again");
    EXPECT_EQ(second.facts[0].text, "TollError: toll too high");
    EXPECT_EQ(at.session.continue_running().reason, StopReason::exited);
}

TEST(Watching, AChildIsNotHurtByTheProtectionOfPages) {
    Controlled at({"forks"}, "sluices-gcc");
    at.session.reach(at.session.place("forks"));
    at.pause_on(Cause::write, "sheet");
    EXPECT_EQ(at.session.continue_running().reason, StopReason::event);  // entries[0]
    Stop stop = at.session.continue_running();  // entries[4], in the parent
    EXPECT_EQ(stop.reason, StopReason::event);
    EXPECT_EQ(at.value("status >> 8"), "5") << "the child wrote and ended in order";
}

TEST(Attach, ASessionOnARunningProcess) {
    pid_t child = fork();
    if (child == 0) {
        (void)!freopen("/dev/null", "w", stdout);
        execl(fixture("control-gcc-O0").c_str(), "control", "spin", nullptr);
        _exit(127);
    }
    testing::wait_until_it_runs(child, fixture("control-gcc-O0"));
    {
        Session session(child, {});
        EXPECT_EQ(session.program(), fixture("control-gcc-O0"));
        EXPECT_EQ(session.last_stop().reason, StopReason::attached);
        session.add_breakpoint(session.place("pass"));
        EXPECT_EQ(session.continue_running().reason, StopReason::breakpoint);
        session.release();
        EXPECT_FALSE(session.is_running());
    }
    EXPECT_EQ(waitpid(child, nullptr, WNOHANG), 0) << "it lives on";
    kill(child, SIGKILL);
    waitpid(child, nullptr, 0);
}

TEST(Rebuild, BreakpointsFollowWhatTheirLinesSay) {
    testing::TemporaryFolder folder;
    auto build = [&](const std::string& source) {
        folder.write("barge.c", source);
        testing::Ran ran =
            testing::run({"gcc", "-g", "-O0", "-o", "barge", "barge.c"}, "", folder.path());
        ASSERT_EQ(ran.status, 0) << ran.errors;
    };
    build(
        "int toll(int n) {\n    int due = n * 3;\n    return due;\n}\nint main(void) {\n    return "
        "toll(4);\n}\n");
    Session session(testing::quiet_launch((folder.path() / "barge").string(), {}), {});
    session.add_breakpoint(session.place("barge.c:2"));
    session.add_breakpoint(session.place("barge.c:3"));
    session.launch_again();
    build(
        "/* new */\n/* lines */\nint toll(int n) {\n    int due = n * 3;\n    return due + "
        "1;\n}\nint main(void) {\n    return toll(4);\n}\n");
    std::string news;
    for (const std::string& each : session.reload()) news += each + "\n";
    EXPECT_NE(news.find("breakpoint 1: line 2 is now line 4"), std::string::npos) << news;
    EXPECT_NE(news.find("breakpoint 2: line 3 no longer says"), std::string::npos) << news;
    EXPECT_NE(news.find("of the old build"), std::string::npos) << news;
    EXPECT_EQ(session.launch_again().breakpoints.front(), 1u);
    EXPECT_EQ(session.selected_frame()->line->line, 4u);
}

// ---- signals

TEST(SignalRules, NamesAndNumbers) {
    EXPECT_EQ(signal_numbered("SIGSEGV"), SIGSEGV);
    EXPECT_EQ(signal_numbered("segv"), SIGSEGV);
    EXPECT_EQ(signal_numbered("15"), SIGTERM);
    EXPECT_EQ(signal_numbered("SIGBARGE"), 0);
    EXPECT_EQ(signal_numbered("99"), 0);
    EXPECT_EQ(signal_name(SIGUSR2), "SIGUSR2");
    EXPECT_EQ(signal_name(SIGRTMIN), "SIGRTMIN");
    EXPECT_FALSE(ends_program(SIGCHLD));
    EXPECT_TRUE(ends_program(SIGHUP));
}

}  // namespace
}  // namespace lantern
