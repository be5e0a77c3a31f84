// Views made by hand, as text and as JSON.
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "cli/views/json.h"
#include "cli/views/reports.h"
#include "cli/views/text.h"
#include "tests/testing/command.h"
#include "tests/testing/views.h"

namespace lantern::cli {
namespace {

using PlainJson = nlohmann::ordered_json;

SourceReport some_source() {
    SourceReport report;
    report.file = report.found_at = "/canal/lock.c";
    report.current_line = 10;
    report.last_line = 40;
    for (std::uint32_t number : {9u, 10u, 11u})
        report.rows.push_back(
            {number, "\tline " + std::to_string(number), {}, true, number == 10, {}});
    report.rows[0].breakpoints = {{1, true}};
    report.rows[1].breakpoints = {{2, false}};
    report.rows[2].breakpoints = {{3, true}, {4, true}};
    return report;
}

TEST(SourceText, MarksBreakpointsAndTheLineThatRunsNext) {
    auto lines = testing::lines_of(source_text(some_source(), kPlain));
    ASSERT_EQ(lines.size(), 4u);
    EXPECT_TRUE(lines[0].starts_with("lock.c ──"));
    EXPECT_TRUE(lines[0].find("lines 9 to 11 of 40") != std::string::npos);
    EXPECT_EQ(lines[1], "▪1    9      line 9");
    EXPECT_TRUE(lines[2].starts_with("▫2 ◆ 10      line 10")) << lines[2];
    EXPECT_TRUE(lines[2].ends_with("next to run"));
    EXPECT_TRUE(lines[3].starts_with("▪3+  11"));
}

TEST(SourceText, SaysWhatTheLineIsDoing) {
    SourceReport report = some_source();
    for (auto [state, words] : {std::pair{LineState::begun, "begun; the rest is next"},
                                std::pair{LineState::waiting, "waits for this call"},
                                std::pair{LineState::fails, "fails here"}}) {
        report.current_state = state;
        EXPECT_NE(source_text(report, kPlain).find(words), std::string::npos);
    }
    report.is_stale = true;
    EXPECT_NE(source_text(report, kPlain).find("newer than the program"), std::string::npos);
    report.found_at.clear();
    EXPECT_NE(source_text(report, kPlain).find("--source-map"), std::string::npos);
}

TEST(SourceText, EscapesWhatAFileMayHold) {
    SourceReport report = some_source();
    report.rows[0].text = "\x1b[2Jgone";
    EXPECT_EQ(source_text(report, kPlain).find('\x1b'), std::string::npos);
}

StackReport some_stack() {
    StackReport report;
    report.thread = 7;
    report.total = 5;
    StackRow inner;
    inner.function = "fill_chamber";
    inner.file = "/canal/lock.c";
    inner.line = 42;
    inner.is_selected = true;
    ValueView rate;
    rate.name = "rate";
    rate.type = "int";
    rate.text = "3";
    inner.parameters = {rate};
    StackRow folded;
    folded.level = 1;
    folded.function = "search";
    folded.file = "/canal/route.c";
    folded.line = 31;
    folded.repeats = 3;
    StackRow guess;
    guess.level = 4;
    guess.function = "0x401000";
    guess.address = 0x401000;
    guess.origin = FrameOrigin::return_address;
    report.rows = {inner, folded, guess};
    return report;
}

TEST(StackText, FoldsMarksAndSaysHowSureItIs) {
    std::string text = stack_text(some_stack(), kPlain);
    EXPECT_NE(text.find(" ◆ 0  fill_chamber  rate = 3"), std::string::npos) << text;
    EXPECT_NE(text.find("the same call 3 times, depth 1 – 3"), std::string::npos) << text;
    EXPECT_NE(text.find("a guess"), std::string::npos) << text;
    StackReport report = some_stack();
    report.is_cut = true;
    EXPECT_NE(stack_text(report, kPlain).find("further out"), std::string::npos);
    report.why_ended = "the stack is damaged";
    EXPECT_NE(stack_text(report, kPlain).find("take care the stack is damaged"), std::string::npos);
    report.rows[0].function = std::string(300, 'x');
    EXPECT_EQ(stack_text(report, kPlain).find(std::string(60, 'x')), std::string::npos)
        << "a name of any length stays in its place";
}

TEST(StackJson, HasTheWholeNamesAndTheFacts) {
    StackReport report = some_stack();
    report.rows[0].function = std::string(300, 'x');
    PlainJson json = PlainJson::parse(json_of(report));
    EXPECT_EQ(json["kind"], "stack");
    EXPECT_EQ(json["frames"][0]["function"].get<std::string>().size(), 300u);
    EXPECT_EQ(json["frames"][0]["parameters"][0]["text"], "3");
    EXPECT_EQ(json["frames"][0]["selected"], true);
    EXPECT_EQ(json["frames"][1]["repeats"], 3);
    EXPECT_EQ(json["frames"][2]["found_by"], "return-address");
    EXPECT_FALSE(json["frames"][2].contains("line"));
}

TEST(ValueText, PutsScalarsOnALineAndStructuresInATree) {
    ValueReport report;
    report.number = 4;
    report.expression = "level";
    report.value.type = "int";
    report.value.text = "214";
    EXPECT_EQ(value_text(report, kPlain), "@4 level = 214  int\n");
    report.value.assignment = Assignment::not_yet;
    EXPECT_EQ(value_text(report, kPlain),
              "@4 level = 214  int  not set yet: nothing on the way here assigns it\n");
    report.value = {};
    report.value.type = "struct lock";
    ValueView member;
    member.name = "depth";
    member.type = "int";
    member.text = "310";
    report.value.children = {member};
    EXPECT_EQ(value_text(report, kPlain), "@4 level  struct lock\n    depth  310  int\n");
    report.value = {};
    report.value.type = "int";
    report.value.unavailable = "the compiler removed it";
    EXPECT_EQ(value_text(report, kPlain), "@4 level: no value: the compiler removed it  int\n");
}

TEST(ValueText, LaysArraysOutInRowsWithTheirIndexes) {
    ValueReport report;
    report.expression = "levels";
    report.value.type = "int [60]";
    report.value.arrangement = Arrangement::elements;
    for (int i = 0; i < 60; ++i) {
        ValueView element;
        element.name = "[" + std::to_string(i) + "]";
        element.text = i < 40 ? std::to_string(1000 + i) : "0";
        report.value.children.push_back(element);
    }
    report.value.more = 5;
    auto lines = testing::lines_of(value_text(report, kPlain));
    ASSERT_GT(lines.size(), 3u);
    EXPECT_TRUE(lines[1].starts_with("    [0]   1000, 1001")) << lines[1];
    for (const std::string& line : lines) EXPECT_LE(line.size(), 90u);
    std::string last_row = lines[lines.size() - 2];
    EXPECT_TRUE(last_row.ends_with("0 × 20")) << last_row;
    EXPECT_TRUE(lines.back().starts_with("    … 5 more"));
}

TEST(StopText, TellsChangesPinsAndWhatToDo) {
    StopReport report;
    report.stop.reason = StopReason::stepped;
    report.headline = report.why = "step done";
    report.function = "fill";
    report.file = "/canal/lock.c";
    report.line = 10;
    report.source = some_source();
    report.changes = {{"rise", "", "36", true}, {"level", "1", "2", false}};
    report.more_changes = 3;
    PinReport pin;
    pin.text = "level";
    pin.value.emplace();
    pin.value->text = "2";
    pin.before = "1";
    report.pins = {pin};
    report.warning = "mind the gap";
    std::string text = stop_text(report, kPlain);
    for (const char* part :
         {"step done ─ fill ─", "lock.c:10 ──", "rise   (not set) → 36", "level  1 → 2", "… 3 more",
          "pinned    level  1 → 2", "take care mind the gap"})
        EXPECT_NE(text.find(part), std::string::npos) << part << "\n" << text;
    PlainJson json = PlainJson::parse(json_of(report));
    EXPECT_EQ(json["changed"][0]["was_unset"], true);
    EXPECT_EQ(json["line_state"], "next");
    EXPECT_EQ(json["source"][1]["state"], "next");
    EXPECT_EQ(json["pins"][0]["before"], "1");
}

TEST(FailureText, PointsAtTheColumn) {
    Failure failure{"a value is missing", "type one", 5, "1 + ", "find.lantern", 3};
    EXPECT_EQ(failure_text(failure, kPlain),
              "find.lantern:3: cannot do that: a value is missing\n    1 + \n        ▲ here\n    "
              "next: type one\n");
    PlainJson json = PlainJson::parse(json_of(failure));
    EXPECT_EQ(json["column"], 5);
    EXPECT_EQ(json["script_line"], 3);
}

TEST(PlainJson, SurvivesBytesThatAreNoText) {
    Notice notice{Notice::Kind::done, std::string("bad \xff\xfe bytes \0 end", 19)};
    EXPECT_NO_THROW(PlainJson::parse(json_of(notice)));
    EXPECT_EQ(PlainJson::parse(json_of_command("value \"x\""))["line"], "value \"x\"");
}

TEST(BreakpointsText, ShowsStateHitsConditionsAndSites) {
    Breakpoint breakpoint;
    breakpoint.number = 2;
    breakpoint.place.text = "lock.c:42";
    breakpoint.condition = "rate > 3";
    breakpoint.counts->hits = 1;
    breakpoint.counts->passes = 40;
    breakpoint.is_on = false;
    std::string text = breakpoints_text({{report_breakpoint(breakpoint)}}, kPlain);
    EXPECT_NE(text.find("▫2  lock.c:42"), std::string::npos) << text;
    EXPECT_NE(text.find("1 hit, passed 40 times  when rate > 3, off"), std::string::npos) << text;
    EXPECT_NE(text.find("waits: no loaded module has this place"), std::string::npos);
    EXPECT_NE(breakpoints_text({}, kPlain).find("pause at PLACE"), std::string::npos);
}

}  // namespace
}  // namespace lantern::cli
