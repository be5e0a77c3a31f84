// What control shows, from facts made by hand; and the words it is asked with.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <nlohmann/json.hpp>

#include "cli/options.h"
#include "cli/settings.h"
#include "cli/views/json.h"
#include "cli/views/reports.h"
#include "cli/views/text.h"
#include "core/support/error.h"
#include "core/target/own_terminal.h"
#include "tests/testing/command.h"
#include "tests/testing/views.h"

namespace lantern::cli {
namespace {

using PlainJson = nlohmann::ordered_json;

Breakpoint watch_of(const std::string& what) {
    Breakpoint breakpoint;
    breakpoint.number = 4;
    breakpoint.cause = Cause::write;
    breakpoint.subject = what;
    breakpoint.watched = std::make_shared<WatchedValue>();
    breakpoint.watched->range = {RunAddress(0x1000), RunAddress(0x1008)};
    breakpoint.watched->debug_registers = {2};
    return breakpoint;
}

TEST(BreakpointsText, TellsHowAValueIsWatched) {
    Breakpoint watch = watch_of("level");
    EXPECT_TRUE(says(breakpoint_set_text({report_breakpoint(watch), ""}, kPlain),
                     "watchpoint 4   on write of level  8 bytes at 0x1000, by 1 debug register"));
    watch.watched->owner = WatchedValue::Owner{1, RunAddress(0x2000), RunAddress(0x3000), "fill"};
    EXPECT_TRUE(says(breakpoints_text({{report_breakpoint(watch)}}, kPlain), "until fill returns"));
    watch.watched->owner.reset();
    watch.watched->by_pages = true;
    EXPECT_TRUE(says(breakpoints_text({{report_breakpoint(watch)}}, kPlain), "by page protection"));
    watch.watched->by_pages = false;
    watch.watched->has_ended = true;
    watch.is_on = false;
    std::string ended = breakpoints_text({{report_breakpoint(watch)}}, kPlain);
    EXPECT_TRUE(says(ended, "it has ended") && says(ended, "▫4"));
    PlainJson json = PlainJson::parse(json_of(BreakpointsReport{{report_breakpoint(watch)}}));
    EXPECT_EQ(json["breakpoints"][0]["cause"], "write");
    EXPECT_EQ(json["breakpoints"][0]["watches"]["bytes"], 8);
    EXPECT_EQ(json["breakpoints"][0]["watches"]["ended"], true);
}

TEST(BreakpointsText, LimitsBlocksAndWhatARebuildDid) {
    Breakpoint breakpoint;
    breakpoint.number = 2;
    breakpoint.place.text = "gate.c:9";
    breakpoint.condition = "n > 3";
    breakpoint.after = 5;
    breakpoint.every = 10;
    breakpoint.once = true;
    breakpoint.thread = 3;
    breakpoint.moved = "line 7 is now line 9";
    breakpoint.counts->hits = 1;
    breakpoint.counts->passes = 1234;
    Breakpoint::Site site;
    site.address = RunAddress(0x40);
    site.code.file = "/canal/gate.c";
    site.code.line = 9;
    site.code.function = "open_gate";
    site.block = 2;
    site.blocks = 3;
    breakpoint.sites.push_back(site);
    std::string text = breakpoints_text({{report_breakpoint(breakpoint)}}, kPlain);
    EXPECT_TRUE(
        says(text, "1 hit, passed 1 234 times  when n > 3  after 5  every 10  once  thread 3"))
        << text;
    EXPECT_TRUE(says(text, "(block 2 of 3)"));
    EXPECT_TRUE(says(text, "line 7 is now line 9"));
    PlainJson json =
        PlainJson::parse(json_of(NewBreakpoint{report_breakpoint(breakpoint), ""}))["breakpoint"];
    EXPECT_EQ(json["every"], 10);
    EXPECT_EQ(json["sites"][0]["blocks"], 3);
    EXPECT_EQ(json["moved"], "line 7 is now line 9");
}

TEST(BreakpointsText, EventsAreNamedByWhatTheyWaitFor) {
    for (auto [cause, subject, words] :
         {std::tuple{Cause::thrown, "TollError", "on throw TollError"},
          {Cause::panic, "", "on panic"},
          {Cause::thread_start, "", "on thread start"},
          {Cause::system_call, "openat", "on syscall openat"},
          {Cause::load, "libtoll.so", "on load libtoll.so"}}) {
        Breakpoint breakpoint;
        breakpoint.number = 1;
        breakpoint.cause = cause;
        breakpoint.subject = subject;
        EXPECT_TRUE(says(breakpoint_set_text({report_breakpoint(breakpoint), ""}, kPlain), words));
    }
}

StopReport some_stop() {
    StopReport report;
    report.stop.reason = StopReason::event;
    report.stop.cause = Cause::write;
    report.stop.breakpoints = {4};
    report.headline = report.why = "watchpoint 4, a watched value was written";
    report.function = "fill";
    report.file = "/canal/lock.c";
    report.line = 12;
    report.thread = 3;
    WatchReport watch;
    watch.number = 4;
    watch.expression = "chamber.level";
    watch.before = "3";
    watch.after = "7";
    watch.function = "memset";
    watch.file = "/libc/memset.S";
    watch.line = 88;
    watch.from = "fill";
    watch.from_file = "/canal/lock.c";
    watch.from_line = 12;
    report.watched.push_back(watch);
    report.stop.facts.push_back({"threw", "TollError: no\x1b[2J berth"});
    return report;
}

TEST(StopText, WatchedValuesAndFacts) {
    std::string text = stop_text(some_stop(), kPlain);
    EXPECT_TRUE(says(text, "lock.c:12 ─ thread 3"));
    EXPECT_TRUE(says(text, " wrote     chamber.level  3 → 7"));
    EXPECT_TRUE(says(text, "memset, called by fill at lock.c:12")) << text;
    EXPECT_TRUE(says(text, "threw     TollError: no\\x1b[2J berth")) << "escaped";
    PlainJson json = PlainJson::parse(json_of(some_stop()));
    EXPECT_EQ(json["cause"], "write");
    EXPECT_EQ(json["watched"][0]["from"]["line"], 12);
    EXPECT_EQ(json["facts"][0]["label"], "threw");
    EXPECT_EQ(json["thread_number"], 3);
}

TEST(StopText, AValueThatWasOnlyRead) {
    StopReport report = some_stop();
    report.watched[0].touched = Touched::read;
    report.watched[0].from_line = 0;
    report.watched[0].by = "the system call write";
    std::string text = stop_text(report, kPlain);
    EXPECT_TRUE(says(text, " read      chamber.level = 7"));
    EXPECT_TRUE(says(text, "the system call write, from memset"));
}

TEST(ThreadsText, ALineEachAndTheCircle) {
    ThreadsReport report;
    report.rows = {{1, 100, "keeper", "in the system call futex", "main", 3, "/canal/lock.c", 40,
                    0x10, "", false},
                   {2, 101, "up\x07", "", "lock_through", 0, "", 0, 0x99,
                    "mutex gate, held by thread 1", true}};
    report.warning = "threads 1 and 2 wait for each other: none of them can go on";
    std::string text = threads_text(report, kPlain);
    EXPECT_TRUE(says(text, "2 threads"));
    EXPECT_TRUE(says(text, "1  keeper")) << text;
    EXPECT_TRUE(says(text, "lock.c:40"));
    EXPECT_TRUE(says(text, "◆  2  up\\a") || says(text, "◆  2  up\\x07")) << text;
    EXPECT_TRUE(says(text, "0x99"));
    EXPECT_TRUE(says(text, "waits for mutex gate, held by thread 1"));
    EXPECT_TRUE(says(text, "take care threads 1 and 2"));
    PlainJson json = PlainJson::parse(json_of(report));
    EXPECT_EQ(json["threads"][1]["waits_for"], "mutex gate, held by thread 1");
    EXPECT_FALSE(json["threads"][0].contains("selected"));
}

TEST(NotesText, ATableWithAColumnForEachExpression) {
    NotesReport report;
    EXPECT_TRUE(says(notes_text(report, kPlain), "note at PLACE"));
    report.columns = {{1, "level", "a.c:3", ""}, {2, "name", "a.c:9", ""}};
    EXPECT_TRUE(says(notes_text(report, kPlain), "no hit yet"));
    report.rows = {{1, 0.25, 0, 2, 1, {std::int64_t{-7}}},
                   {2, 0.5, 0, 1, 1, {std::string("Wren\n")}}};
    report.total = 5000;
    std::string text = notes_text(report, kPlain);
    EXPECT_TRUE(says(text, "4 998 before these"));
    EXPECT_TRUE(says(text, "0.250000       2     1    1     -7")) << text;
    EXPECT_TRUE(says(text, "Wren\\n"));
    PlainJson json = PlainJson::parse(json_of(report));
    EXPECT_EQ(json["rows"][0]["values"][0], -7);
    EXPECT_EQ(json["rows"][1]["values"][0], "Wren\n");
}

TEST(SignalsText, RulesInWords) {
    SignalsReport report{
        {{10, "SIGUSR1", "User defined signal 1", SignalRule::swallow, false, false}}};
    std::string text = signals_text(report, kPlain);
    EXPECT_TRUE(says(text, "SIGUSR1") && says(text, "swallow") && says(text, "goes on") &&
                says(text, "no"));
    EXPECT_EQ(PlainJson::parse(json_of(report))["signals"][0]["passed"], false);
}

TEST(StackText, FoldedFramesAreOneLine) {
    StackReport report;
    report.thread_number = 2;
    StackRow row;
    row.level = 3;
    row.repeats = 14;
    row.is_folded = true;
    row.folded_of = "python3.11";
    row.module = "/usr/bin/python3.11";
    row.function = "_PyEval_EvalFrameDefault";
    report.rows = {row};
    report.total = 17;
    std::string text = stack_text(report, kPlain);
    EXPECT_TRUE(says(text, "call stack of thread 2"));
    EXPECT_TRUE(says(text, "… 14 frames of python3.11, 3 – 16; stack 3..17 shows them")) << text;
    EXPECT_EQ(PlainJson::parse(json_of(report))["frames"][0]["folded"], true);
}

TEST(StepLine, OneLineWithWhatChanged) {
    StepLine line;
    line.stop.line = 42;
    line.stop.source.rows.push_back({42, "    sum += gate;", {}, true, true, {}});
    line.stop.changes.push_back({"sum", "3", "7", false});
    std::string text = step_line_text(line, kPlain);
    EXPECT_TRUE(text.starts_with("    42  sum += gate;")) << text;
    EXPECT_TRUE(says(text, "sum 3 → 7"));
    EXPECT_EQ(PlainJson::parse(json_of(line))["changed"][0]["after"], "7");
}

TEST(SettingsOfSteps, LibrariesAreFolders) {
    testing::TemporaryFolder folder;
    EXPECT_EQ(read_settings(folder.write("a.toml", "libraries = [\"/opt/toll\", \"/srv\"]\n"))
                  .library_folders,
              (std::vector<std::string>{"/opt/toll", "/srv"}));
    EXPECT_THROW(read_settings(folder.write("b.toml", "libraries = \"/opt\"\n")), FileError);
    EXPECT_THROW(read_settings(folder.write("c.toml", "libraries = [\"toll\"]\n")), FileError);
}

TEST(OptionsOfControl, AttachAndTerminal) {
    auto read = [](std::vector<std::string> words, Options& options) {
        words.insert(words.begin(), "elm-lantern");
        std::vector<char*> arguments;
        for (std::string& word : words) arguments.push_back(word.data());
        return read_options(static_cast<int>(arguments.size()), arguments.data(), options);
    };
    Options attach;
    EXPECT_FALSE(read({"attach", "4711", "--do", "threads"}, attach));
    EXPECT_EQ(attach.work, Options::Work::attach);
    EXPECT_EQ(attach.process, 4711);
    Options wrong;
    EXPECT_EQ(read({"attach", "Wren"}, wrong)->exit_status, 2);
    EXPECT_EQ(read({"attach"}, wrong)->exit_status, 2);
    Options own;
    EXPECT_FALSE(read({"debug", "lockgates", "--terminal", "own"}, own));
    EXPECT_TRUE(own.own_terminal);
    EXPECT_EQ(read({"debug", "lockgates", "--terminal", "yours"}, own)->exit_status, 2);
}

TEST(OwnTerminal, WhatIsWrittenThereComesToUs) {
    EventLoop events;
    std::string seen;
    OwnTerminal terminal(events, -1, [&](std::string_view bytes) { seen += bytes; });
    int program = open(terminal.path().c_str(), O_RDWR | O_NOCTTY);
    ASSERT_GE(program, 0);
    terminal.begin();
    events.take_interrupt();  // what became of children of tests before would end the wait
    ASSERT_EQ(write(program, "barge?\n", 7), 7);
    EXPECT_EQ(events.wait_at_most(50), EventLoop::Event::child_changed)
        << "the time is over, and the bytes were taken meanwhile";
    EXPECT_EQ(seen, "barge?\r\n") << "as a terminal writes a line";
    ASSERT_EQ(write(program, "Wren", 4), 4);
    terminal.end();
    EXPECT_EQ(seen, "barge?\r\nWren") << "nothing is left behind at a stop";
    close(program);
}

}  // namespace
}  // namespace lantern::cli
