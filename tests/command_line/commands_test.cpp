// Each command on the fixtures: what it shows, and that it shows the same thing everywhere.
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "tests/testing/command.h"
#include "tests/testing/witness.h"

namespace lantern::testing {
namespace {

using Json = nlohmann::json;

const std::string kLocks = fixture("locks-gcc-O0-dwarf5-pie");

// The JSON objects that a list of commands answered with.
std::vector<Json> answers(const std::string& program, const std::vector<std::string>& commands) {
    Ran ran = debug(program, commands, {"--format", "json", "--stdout", "/dev/null"});
    std::vector<Json> objects;
    for (const std::string& line : lines_of(ran.output)) objects.push_back(Json::parse(line));
    return objects;
}

TEST(Find, MatchesPartsAndPatternsAndCounts) {
    auto found = answers(
        kLocks, {"find functions", "find functions FA", "find functions *d", "find functions zzz",
                 "find globals toll", "find types struct", "find files locks"});
    ASSERT_EQ(found.size(), 7u);
    EXPECT_EQ(found[0]["total"], 6);
    EXPECT_EQ(found[1]["found"][0]["name"], "factorial");
    EXPECT_EQ(found[2]["found"][0]["name"], "shadowed");
    EXPECT_EQ(found[3]["total"], 0);
    EXPECT_EQ(found[4]["found"][0]["detail"], "double [3]");
    EXPECT_GE(found[5]["total"], 2);
    for (const auto& type : found[5]["found"])
        EXPECT_TRUE(type["name"].get<std::string>().find("struct ") == 0);
    EXPECT_GE(found[6]["total"], 1);
}

TEST(Find, AddressesAreThoseOfNm) {
    auto symbols = witness_symbols(kLocks);
    auto found = answers(kLocks, {"find functions"});
    unsigned seen = 0;
    for (const auto& function : found[0]["found"]) {
        EXPECT_EQ(std::stoull(function["addresses"][0].get<std::string>(), nullptr, 16),
                  symbols[function["name"]])
            << function["name"];
        ++seen;
    }
    EXPECT_EQ(seen, 6u);
}

TEST(Source, GoesOnWhereItEnded) {
    auto shown = answers(kLocks, {"source factorial", "source", "source locks.c:1", "source 60"});
    ASSERT_EQ(shown.size(), 4u);
    std::uint32_t last = shown[0]["rows"].back()["line"];
    EXPECT_EQ(shown[1]["rows"].front()["line"], last + 1);
    EXPECT_EQ(shown[2]["rows"].front()["line"], 1);
    bool has_60 = false;
    for (const auto& row : shown[3]["rows"]) has_60 |= row["line"] == 60;
    EXPECT_TRUE(has_60);
}

TEST(Frames, AreSelectedOutwardsAndBack) {
    Ran ran = debug(
        kLocks,
        {"pause at factorial when n == 7", "launch", "value n", "caller", "value n", "caller 2",
         "value n", "callee", "value n", "frame 0", "value n", "frame 4", "-locals", "-callee 9"},
        {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    for (const char* value : {"@1 n = 7 ", "@2 n = 8 ", "@3 n = 10 ", "@4 n = 9 ", "@5 n = 7 "})
        EXPECT_TRUE(ran.says(value)) << value << ran.output;
    EXPECT_TRUE(ran.says("frame 4: main"));
    EXPECT_TRUE(ran.says("locals of main"));
    EXPECT_TRUE(ran.says("innermost frame already"));
}

TEST(Frames, AStepIsOfTheOneThatIsShown) {
    auto stops = answers(kLocks, {"reach mean", "caller", "over"});
    EXPECT_EQ(stops.back()["function"], "main");
    EXPECT_EQ(stops.back()["line"], 81);
}

TEST(Breakpoints, ShowInTheSourceAndInTheList) {
    Ran ran = debug(kLocks,
                    {"pause at mean", "pause at locks.c:57", "off 2", "launch", "breakpoints",
                     "on all", "continue", "drop all", "breakpoints"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("▪1 ◆ 55"));
    EXPECT_TRUE(ran.says("▫2   57"));
    EXPECT_TRUE(ran.says("▫2  locks.c:57                0 hits, off")) << ran.output;
    EXPECT_TRUE(ran.says("breakpoint 2 ─ mean"));
    EXPECT_TRUE(ran.says("breakpoints 1 and 2 removed"));
    EXPECT_TRUE(ran.says("there are no breakpoints"));
}

TEST(Breakpoints, SeveralStandAtOnePlaceAndEachIsCounted) {
    Ran ran =
        debug(kLocks, {"pause at mean", "pause at locks.c:55", "launch", "drop 1", "breakpoints"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("breakpoint 1 stands there too"));
    EXPECT_TRUE(ran.says("breakpoints 1 and 2 ─ mean")) << ran.output;
    EXPECT_TRUE(ran.says("1 hit")) << "the second is counted, and stays when the first is dropped";
}

TEST(Pins, OfViewsComeAfterEachStop) {
    auto shown =
        answers(kLocks, {"pin locals", "pin total", "reach shadowed", "over", "unpin 1", "over"});
    std::vector<std::string> kinds;
    for (const Json& object : shown) kinds.push_back(object["kind"]);
    EXPECT_EQ(kinds, (std::vector<std::string>{"notice", "notice", "stop", "locals", "stop",
                                               "locals", "notice", "stop"}));
    EXPECT_EQ(shown[4]["pins"][1]["value"]["text"], "3");
    EXPECT_EQ(shown[2]["pins"][1]["value"]["assigned"], "not-yet");
}

TEST(Values, AreTheSameInTextAndJsonAndFiles) {
    TemporaryFolder folder;
    std::string path = folder.path() / "v.json";
    auto shown =
        answers(kLocks, {"reach fill", "value *chamber", "save value *chamber as " + path});
    Json saved = Json::parse(folder.read("v.json"));
    EXPECT_EQ(saved["value"], shown[1]["value"]);
    Ran text = debug(kLocks, {"reach fill", "value *chamber"}, {"--stdout", "/dev/null"});
    for (const auto& member : shown[1]["value"]["children"]) {
        EXPECT_TRUE(text.says(member["name"])) << member["name"];
        if (!member.contains("children")) {
            EXPECT_TRUE(text.says(member["text"])) << member["text"];
        }
    }
}

TEST(Values, InEveryForm) {
    Ran ran = debug(
        kLocks,
        {"reach fill", "value rate as hex", "value rate as binary", "value rate as octal",
         "value rate as char", "value rate as bytes", "value tolls[0] as hex",
         "value keeper as string", "value chamber->name as bytes", "value &fill as pointer",
         "value fill as instructions", "value chamber->state as decimal", "value -1 as unsigned"},
        {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    for (const char* part :
         {"rate = 0x4 ", "rate = 0b0100 ", "rate = 04 ", "rate = 4 '\\x04'", "rate = 04 00 00 00",
          "tolls[0] = 0x3ff8000000000000", "keeper = \"Ada Quill\"", "75 70 70 65 72 00", "(fill)",
          "push rbp", "state = 6", "-1 = 4294967295"})
        EXPECT_TRUE(ran.says(part)) << part << "\n" << ran.output;
}

TEST(Values, BeforeTheProgramRunsAreThoseItStartsWith) {
    auto shown = answers(kLocks, {"value global_count", "value lower.depth", "globals toll",
                                  "-value *lower.next", "-value %rax"});
    EXPECT_EQ(shown[0]["value"]["text"], "7");
    EXPECT_NE(shown[0]["note"].get<std::string>().find("what it starts with"), std::string::npos);
    EXPECT_EQ(shown[1]["value"]["text"], "310");
    EXPECT_EQ(shown[2]["running"], false);
    EXPECT_EQ(shown[3]["kind"], "error");
    EXPECT_EQ(shown[4]["kind"], "error");
}

TEST(Keep, HoldsAValueOverTheProgramsEnd) {
    auto shown = answers(kLocks, {"reach mean", "keep tolls_then = tolls", "keep n = count",
                                  "continue", "value @n + 1", "value @tolls_then[1]"});
    EXPECT_EQ(shown[4]["value"]["text"], "4");
    EXPECT_EQ(shown[5]["value"]["text"], "2.25");
}

TEST(Help, KnowsEveryCommandItLists) {
    auto list = answers(kLocks, {"help"})[0];
    std::vector<std::string> asks;
    for (const auto& group : list["groups"])
        for (const auto& command : group["commands"]) {
            std::string usage = command["usage"];
            asks.push_back("help " + usage.substr(0, usage.find(' ')));
        }
    EXPECT_GT(asks.size(), 25u);
    auto pages = answers(kLocks, asks);
    ASSERT_EQ(pages.size(), asks.size());
    for (const Json& page : pages) EXPECT_FALSE(page["text"].get<std::string>().empty());
}

}  // namespace
}  // namespace lantern::testing
