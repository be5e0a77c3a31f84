// What `draw` and `plot` make: the facts against what the program itself prints of its pointers,
// and the pictures by their own text.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <regex>
#include <set>
#include <sstream>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

using Json = nlohmann::json;

// The views of a kind that a session in JSON showed.
std::vector<Json> views(const Ran& ran, const std::string& kind) {
    std::vector<Json> found;
    std::istringstream in(ran.output);
    for (std::string line; std::getline(in, line);) {
        Json view = Json::parse(line, nullptr, false);
        if (!view.is_discarded() && view.value("kind", "") == kind) found.push_back(view);
    }
    return found;
}

Ran at_stop(const std::string& name, std::vector<std::string> commands,
            const std::vector<std::string>& options = {"--format", "json"}) {
    commands.insert(commands.begin(), {"pause at stop_here", "launch", "out"});
    return debug(fixture(name), commands, options);
}

Json drawn(const std::string& name, const std::string& expression) {
    Ran ran = at_stop(name, {"draw " + expression});
    auto found = views(ran, "structure");
    EXPECT_EQ(found.size(), 1u) << ran.output << ran.errors;
    return found.empty() ? Json::object() : found[0];
}

const Json* box_at(const Json& structure, unsigned number) {
    return number ? &structure["boxes"][number - 1] : nullptr;
}

// "FROM member TO" of every arrow between two boxes with addresses.
std::set<std::string> arrows_of(const Json& structure) {
    std::set<std::string> arrows;
    for (const Json& box : structure["boxes"])
        for (const Json& row : box["rows"]) {
            const Json* to = box_at(structure, row.value("to", 0u));
            if (to && !box.value("start", false))
                arrows.insert(box["address"].get<std::string>() + " " +
                              row["name"].get<std::string>() + " " +
                              (*to)["address"].get<std::string>());
        }
    return arrows;
}

const Json& row_named(const Json& box, const std::string& name) {
    static const Json none = Json::object();
    for (const Json& row : box["rows"])
        if (row["name"] == name) return row;
    ADD_FAILURE() << "no row " << name << " in " << box.dump();
    return none;
}

class Structure : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!std::filesystem::exists(fixture(GetParam())))
            GTEST_SKIP() << "its compiler is not here";
    }
};
INSTANTIATE_TEST_SUITE_P(Drawing, Structure, ::testing::Values("drawn-gcc", "drawn-clang"),
                         [](const auto& info) { return as_test_name(info.param); });

TEST_P(Structure, HasTheArrowsThatTheProgramHas) {
    TemporaryFolder folder;
    std::string written = (folder.path() / "written").string();
    Ran ran = at_stop(GetParam(), {"draw head"}, {"--format", "json", "--stdout", written});
    auto found = views(ran, "structure");
    ASSERT_EQ(found.size(), 1u) << ran.output;
    std::set<std::string> expected;
    std::istringstream lines(folder.read("written"));
    for (std::string line; std::getline(lines, line);) expected.insert(line);
    ASSERT_EQ(expected.size(), 13u);
    EXPECT_EQ(arrows_of(found[0]), expected);
    EXPECT_EQ(found[0]["shape"], "chain");
    EXPECT_EQ(found[0]["chain"].size(), 5u);
}

TEST_P(Structure, ATreeIsOneAndItsParentsAreWaysBack) {
    Json tree = drawn(GetParam(), "tree");
    EXPECT_EQ(tree["shape"], "tree");
    EXPECT_EQ(tree["boxes"].size(), 8u) << "seven basins and the pointer";
    std::set<std::string> depths;
    for (const Json& box : tree["boxes"])
        if (!box.value("start", false))
            depths.insert(row_named(box, "depth_cm")["value"].get<std::string>());
    EXPECT_EQ(depths, (std::set<std::string>{"1", "2", "3", "4", "5", "6", "7"}));
}

TEST_P(Structure, AGraphIsOne) {
    Json graph = drawn(GetParam(), "first");
    EXPECT_EQ(graph["shape"], "graph");
    EXPECT_EQ(graph["boxes"].size(), 5u);
    EXPECT_EQ(arrows_of(graph).size(), 6u) << graph.dump(1);
}

TEST_P(Structure, AListIsAChainByItsMeaning) {
    Json queue = drawn(GetParam(), "queue");
    EXPECT_EQ(queue["shape"], "chain");
    EXPECT_EQ(queue["chain"].size(), 3u);
    std::string raw = at_stop(GetParam(), {"draw queue raw"}).output;
    EXPECT_NE(raw.find("_M_next"), std::string::npos) << "as it lies in memory";
}

TEST_P(Structure, OneObjectIsOneBoxHoweverManyLeadToIt) {
    Json keepers = drawn(GetParam(), "keepers");
    ASSERT_EQ(keepers["boxes"].size(), 3u) << keepers.dump(1);
    const Json& table = keepers["boxes"][0];
    EXPECT_EQ(row_named(table, "[\"low\"]")["to"], row_named(table, "[\"top\"]")["to"]);
    EXPECT_NE(row_named(table, "[\"low\"]")["to"], row_named(table, "[\"high\"]")["to"]);
    EXPECT_EQ(row_named(table, "[\"low\"]")["remark"], "2 owners");
}

TEST_P(Structure, OwnersLeadAndEmptyOnesDoNot) {
    Json crew = drawn(GetParam(), "crew");
    const Json& box = crew["boxes"][0];
    EXPECT_EQ(row_named(box, "[0]")["state"], "leads");
    EXPECT_EQ(row_named(box, "[1]")["state"], "null");
}

TEST_P(Structure, AnObjectIsDrawnAsWhatItReallyIs) {
    Json craft = drawn(GetParam(), "craft");
    ASSERT_EQ(craft["boxes"].size(), 3u) << craft.dump(1);
    EXPECT_EQ(craft["boxes"][1]["title"], "Collier");
    EXPECT_EQ(row_named(craft["boxes"][1], "coal_t")["value"], "22");
    EXPECT_EQ(craft["boxes"][2]["title"], "Collier");
}

TEST_P(Structure, PointersThatLeadWrongSaySo) {
    Json bad = drawn(GetParam(), "bad");
    const Json& box = bad["boxes"][1];
    EXPECT_EQ(row_named(box, "nowhere")["state"], "nowhere");
    EXPECT_EQ(row_named(box, "nowhere")["value"], "0x41414141");
    EXPECT_EQ(row_named(box, "freed")["state"], "freed");
    EXPECT_EQ(row_named(box, "small")["state"], "too-small");
    EXPECT_EQ(row_named(box, "none")["state"], "null");
    const Json& inside = row_named(box, "inside");
    EXPECT_EQ(inside["state"], "leads");
}

// A pointer that may be something else is not followed, and not called wrong.
TEST_P(Structure, WhatLiesInAUnionIsNotFollowed) {
    Json tagged = drawn(GetParam(), "tagged");
    EXPECT_EQ(tagged["boxes"].size(), 1u) << tagged.dump(1);
    const Json& row = row_named(tagged["boxes"][0], "either.barge");
    EXPECT_EQ(row["state"], "no-pointer");
    EXPECT_EQ(row["remark"], "of a union: not followed");
}

TEST_P(Structure, ATornListEndsAndTells) {
    Json torn = drawn(GetParam(), "*torn");
    EXPECT_NE(torn["boxes"][0].value("problem", ""), "") << torn.dump(1);
    EXPECT_EQ(torn["chain"].size(), 3u) << "up to where it is torn";
}

TEST_P(Structure, ACircleCloses) {
    Json circle = drawn(GetParam(), "circle");
    EXPECT_EQ(circle["boxes"].size(), 3u);
    EXPECT_EQ(arrows_of(circle).size(), 2u);
}

TEST_P(Structure, WhatIsLeftOutIsCountedAtItsPlace) {
    Ran ran = at_stop(GetParam(), {"draw head limit 4"});
    Json head = views(ran, "structure").at(0);
    EXPECT_EQ(head["boxes"].size(), 4u);
    EXPECT_EQ(head["left_out"], 4) << "eight in all: the pointer, five barges, two keepers";
    std::uint64_t counted = 0;
    for (const Json& box : head["boxes"])
        for (const Json& row : box["rows"]) counted += row.value("behind", 0u);
    EXPECT_EQ(counted, 4u);
}

TEST_P(Structure, TwoDrawingsAreCompared) {
    Ran ran = at_stop(GetParam(), {"draw head keep early", "pause at stop_later", "continue", "out",
                                   "draw head since early"});
    auto found = views(ran, "structure");
    ASSERT_EQ(found.size(), 2u) << ran.output;
    EXPECT_EQ(found[1]["new"], 1);
    EXPECT_EQ(found[1]["gone"], 0);
    EXPECT_EQ(found[1]["changed"], 2) << "the head leads to the new one, the second comes from it";
    EXPECT_EQ(row_named(found[1]["boxes"][1], "draught_cm")["before"], "100");
    Ran without = at_stop(GetParam(), {"draw head since early"}, {});
    EXPECT_TRUE(without.says("no drawing is kept as \"early\"")) << without.output;
}

TEST(DrawingOfRust, FollowsBoxesAndSharedOnes) {
    if (!std::filesystem::exists(fixture("drawn-rust"))) GTEST_SKIP() << "rustc is not here";
    Json head = drawn("drawn-rust", "head");
    EXPECT_EQ(head["boxes"].size(), 3u) << head.dump(1);
    Json gate = drawn("drawn-rust", "gate");
    EXPECT_EQ(gate["boxes"].size(), 2u)
        << "three gates in one another share one keeper" << gate.dump(1);
    Json line = drawn("drawn-rust", "line");
    EXPECT_EQ(line["chain"].size(), 3u) << line.dump(1);
    Json tolls = drawn("drawn-rust", "tolls");
    EXPECT_EQ(tolls["boxes"].size(), 2u) << tolls.dump(1);
}

// ---- numbers

Json numbers(const std::string& command) {
    Ran ran = at_stop("drawn-gcc", {command});
    auto found = views(ran, "numbers");
    EXPECT_EQ(found.size(), 1u) << ran.output << ran.errors;
    return found.empty() ? Json::object() : found[0];
}

TEST(DrawingOfNumbers, AFieldHasItsHole) {
    Json field = numbers("draw field");
    EXPECT_EQ(field["extent"], Json::parse("[5, 7]"));
    EXPECT_EQ(field["low"], 0.0);
    EXPECT_EQ(field["high"], 46.0);
    EXPECT_EQ(field["not_numbers"], 1);
    EXPECT_EQ(field["sound"], 34);
}

TEST(DrawingOfNumbers, InfiniteAndFilledOnesAreNotOnTheScale) {
    Json readings = numbers("draw readings");
    EXPECT_EQ(readings["infinite"], 1);
    EXPECT_NEAR(readings["high"].get<double>(), 50, 0.1);
    Json tallies = numbers("draw tallies histogram");
    EXPECT_EQ(tallies["filled"], 1);
    EXPECT_EQ(tallies["high"], 4.0);
    ASSERT_EQ(tallies["bins"].size(), 5u);
    std::vector<int> counts;
    for (const Json& bin : tallies["bins"]) counts.push_back(bin["count"]);
    EXPECT_EQ(counts, (std::vector<int>{8, 8, 7, 8, 8}));
}

TEST(DrawingOfNumbers, RowsOfDifferentLengthAreFilledUp) {
    Json ragged = numbers("draw ragged");
    EXPECT_EQ(ragged["extent"], Json::parse("[3, 3]"));
    EXPECT_EQ(ragged["missing"], 3);
}

TEST(DrawingOfNumbers, BytesAreNumbersAndATextIsNone) {
    Json tones = numbers("draw tones");
    EXPECT_EQ(tones["extent"], Json::parse("[4, 6]"));
    EXPECT_EQ(tones["high"], 200.0);
    Ran label = at_stop("drawn-gcc", {"draw label"});
    EXPECT_TRUE(views(label, "numbers").empty()) << label.output;
    EXPECT_TRUE(label.says("Sallow Hill")) << label.output;
}

TEST(DrawingOfNumbers, AMemberOfEachElement) {
    Json draughts = numbers("draw fleet of draught_cm");
    EXPECT_EQ(draughts["extent"], Json::parse("[3]"));
    EXPECT_EQ(draughts["high"], 90.0);
    Json some = numbers("draw readings every 100");
    EXPECT_EQ(some["extent"], Json::parse("[3]"));
}

// ---- pictures

struct Box {
    double x = 0, y = 0, width = 0, height = 0;
};

std::vector<Box> boxes_of_texts(const std::string& svg) {
    constexpr double kLetter = 0.602;  // of the height of a letter, in DejaVu Sans Mono
    std::vector<Box> boxes;
    std::regex text(
        "<text class=\"[^\"]*\" x=\"([-0-9.]+)\" y=\"([-0-9.]+)\" "
        "font-size=\"([0-9.]+)\"[^>]*>([^<]*)</text>");
    for (std::sregex_iterator at(svg.begin(), svg.end(), text), end; at != end; ++at) {
        std::string words = std::regex_replace((*at)[4].str(), std::regex("&[a-z]+;"), "x");
        double letters = static_cast<double>(std::ranges::count_if(
                   words, [](char c) { return (static_cast<unsigned char>(c) & 0xc0) != 0x80; })),
               size = std::stod((*at)[3]);
        boxes.push_back({std::stod((*at)[1]), std::stod((*at)[2]) - 0.75 * size,
                         letters * size * kLetter, 0.95 * size});
    }
    return boxes;
}

// Nothing is outside of the picture, and no two texts lie on each other.
void expect_tidy(const std::string& svg, const std::string& name) {
    std::smatch size;
    ASSERT_TRUE(std::regex_search(svg, size, std::regex("viewBox=\"0 0 ([0-9]+) ([0-9]+)\"")))
        << name;
    double width = std::stod(size[1]), height = std::stod(size[2]);
    std::vector<Box> boxes = boxes_of_texts(svg);
    EXPECT_GT(boxes.size(), 2u) << name;
    for (std::size_t i = 0; i < boxes.size(); ++i) {
        const Box& a = boxes[i];
        EXPECT_TRUE(a.x >= 0 && a.y >= 0 && a.x + a.width <= width + 1 &&
                    a.y + a.height <= height + 1)
            << name << ": a text at " << a.x << ", " << a.y << " is outside";
        for (std::size_t j = i + 1; j < boxes.size(); ++j) {
            const Box& b = boxes[j];
            double across = std::min(a.x + a.width, b.x + b.width) - std::max(a.x, b.x),
                   down = std::min(a.y + a.height, b.y + b.height) - std::max(a.y, b.y);
            EXPECT_FALSE(across > 1.5 && down > 1.5)
                << name << ": texts at " << a.x << ", " << a.y << " and " << b.x << ", " << b.y;
        }
    }
}

// What is shown beside a pointer at every stop looks at small heaps alone; who draws has time.
TEST(Drawing, TellsWhatIsFreedInALargeHeapToo) {
    Ran ran = debug(fixture("large_heap"), {"pause at moored", "launch", "draw first"});
    EXPECT_TRUE(ran.says("freed heap block")) << ran.output;
    EXPECT_FALSE(ran.says("→ 3")) << "it leads nowhere" << ran.output;
}

// Nine in a column say no more than one box does; the one that sleeps has its own, and so has main.
TEST(Figures, ThreadsThatWaitAlikeAreOneBox) {
    TemporaryFolder folder;
    std::string file = (folder.path() / "threads.svg").string();
    Ran ran = debug(fixture("waiters"), {"pause at all_wait", "launch", "draw threads as " + file});
    ASSERT_EQ(ran.status, 0) << ran.output;
    std::string svg = folder.read("threads.svg");
    expect_tidy(svg, "threads");
    EXPECT_NE(svg.find("9 threads: 2–5, 7–11"), std::string::npos) << svg;
    EXPECT_NE(svg.find("thread 6  waiters"), std::string::npos);
    EXPECT_NE(svg.find("11 threads"), std::string::npos) << "all are counted";
    EXPECT_NE(svg.find("waits for mutex gate, held by thread 1"), std::string::npos) << svg;
}

TEST(Figures, AreTidyAndTheirTextsAreTexts) {
    TemporaryFolder folder;
    auto file = [&](const std::string& name) { return (folder.path() / name).string(); };
    std::vector<std::string> names = {"head",     "tree",    "first",  "queue",
                                      "keepers",  "bad",     "craft",  "field",
                                      "readings", "tallies", "ragged", "collier"};
    std::vector<std::string> commands;
    for (const std::string& name : names)
        commands.push_back("draw " + name + " as " + file(name + ".svg"));
    commands.push_back("draw tallies histogram as " + file("often.svg"));
    commands.push_back("draw stack as " + file("frames.svg"));
    commands.push_back("draw threads as " + file("threads.svg"));
    commands.push_back("draw regions as " + file("regions.svg"));
    commands.push_back("draw code main as " + file("code.svg"));
    commands.push_back("draw head as " + file("head.png"));
    commands.push_back("draw head as " + file("head.dot"));
    Ran ran = at_stop("drawn-gcc", commands, {});
    EXPECT_EQ(ran.status, 0) << ran.output;
    names.insert(names.end(), {"often", "frames", "threads", "regions", "code"});
    for (const std::string& name : names) {
        std::string svg = folder.read(name + ".svg");
        expect_tidy(svg, name);
        EXPECT_NE(svg.find("drawn-gcc"), std::string::npos)
            << name << " says of what program it is";
        EXPECT_NE(svg.find("prefers-color-scheme:dark"), std::string::npos);
    }
    EXPECT_NE(folder.read("head.svg").find(">draught_cm</text>"), std::string::npos);
    EXPECT_NE(folder.read("queue.svg").find("Ada \\&quot;Quill\\&quot; &lt;x&amp;y&gt;"),
              std::string::npos)
        << "what comes from the program is made safe";
    EXPECT_EQ(folder.read("head.png").substr(1, 3), "PNG");
    EXPECT_EQ(folder.read("head.dot").substr(0, 7), "digraph");
    // A box and an arrow's head for each object and pointer that the program has.
    std::string head = folder.read("head.svg");
    auto count = [&](const std::string& part) {
        std::size_t found = 0;
        for (std::size_t at = head.find(part); at != std::string::npos;
             at = head.find(part, at + 1))
            ++found;
        return found;
    };
    EXPECT_EQ(count("font-weight=\"bold\""), 9u)
        << "the title, the pointer, five barges, two keepers";
    EXPECT_EQ(count("<polygon"), 14u) << "thirteen arrows and the pointer's";
}

TEST(Figures, ThousandsOfBoxesAreDrawn) {
    TemporaryFolder folder;
    std::string file = (folder.path() / "many.svg").string();
    Ran ran = debug(fixture("drawn-gcc"),
                    {"pause at stop_here", "launch 2000", "draw head limit 2010 as " + file,
                     "draw head limit 10"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    std::string svg = folder.read("many.svg");
    std::size_t boxes = 0;
    for (std::size_t at = svg.find("bold"); at != std::string::npos; at = svg.find("bold", at + 1))
        ++boxes;
    EXPECT_EQ(boxes, 2004u) << "the title, the pointer, 2000 barges, two keepers";
    EXPECT_TRUE(ran.says("1 993 more boxes are left out")) << ran.output;
}

TEST(Figures, CodeTellsHowOftenABlockWasRunWhereThatWasCounted) {
    TemporaryFolder folder;
    std::string file = (folder.path() / "code.svg").string();
    Ran ran = debug(fixture("drawn-gcc"),
                    {"note at basin levels", "reach stop_here", "draw code basin as " + file},
                    {"--stdout", "/dev/null"});
    EXPECT_NE(folder.read("code.svg").find("counted 7 times"), std::string::npos) << ran.output;
}

// From the source: the loop of `pass_chamber`'s caller goes through each of four locks and once too
// often, so five calls between two barges.
TEST(Figures, CodeTellsThePathSinceTheStopBefore) {
    TemporaryFolder folder;
    std::string file = (folder.path() / "code.svg").string();
    Ran ran = debug(DEMO_PROGRAM,
                    {"note blocks of pass_chamber", "pause at take_through", "launch", "continue",
                     "draw code pass_chamber as " + file, "breakpoints", "drop 1",
                     "draw code pass_chamber as " + file + ".bare.svg"},
                    {"--stdin", SOURCE_FOLDER "/demo/day-sheet.txt", "--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    std::string svg = folder.read("code.svg");
    EXPECT_NE(svg.find(">ran 5×, 5× since</text>"), std::string::npos) << svg;
    EXPECT_NE(svg.find("gone since the stop before"), std::string::npos);
    EXPECT_NE(svg.find("stroke-width=\"3.2\""), std::string::npos) << "the way that was gone";
    EXPECT_NE(svg.find("stroke-width=\"1.4\""), std::string::npos) << "and one that was not";
    EXPECT_TRUE(ran.says("blocks of pass_chamber")) << ran.output;
    std::string bare = folder.read("code.svg.bare.svg");
    EXPECT_EQ(bare.find("since"), std::string::npos) << "nobody counts any more";
}

TEST(Figures, APictureForADarkPage) {
    TemporaryFolder folder;
    auto file = [&](const std::string& name) { return (folder.path() / name).string(); };
    Ran ran =
        at_stop("drawn-gcc",
                {"draw head as " + file("head.png"), "draw head as " + file("head.dark.png")}, {});
    EXPECT_EQ(ran.status, 0) << ran.output;
    std::string light = folder.read("head.png"), dark = folder.read("head.dark.png");
    EXPECT_EQ(dark.substr(1, 3), "PNG");
    EXPECT_EQ(light.substr(16, 8), dark.substr(16, 8)) << "the same size";
    EXPECT_NE(light, dark);
}

TEST(Figures, WhatIsNotSetYetIsNotFollowed) {
    Ran ran = debug(fixture("drawn-gcc"), {"reach main", "draw bad", "draw ada"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("not set yet")) << ran.output;
    EXPECT_FALSE(ran.says("→ 2")) << ran.output;
}

TEST(Figures, ARefusalTeaches) {
    Ran ran = at_stop("drawn-gcc",
                      {"-draw", "-draw head as head.gif", "-draw stack as stack.dot",
                       "-draw tree histogram", "-draw nothing_of_the_kind", "-draw fleet of mast"},
                      {});
    EXPECT_TRUE(ran.says("what is to be drawn?")) << ran.output;
    EXPECT_TRUE(ran.says("end it in .svg, .png, .dark.png or .dot"));
    EXPECT_TRUE(ran.says("stack is no structure"));
    EXPECT_TRUE(ran.says("tree holds no numbers to draw"));
    EXPECT_TRUE(ran.says("nothing_of_the_kind"));
    EXPECT_TRUE(ran.says("has no member mast"));
}

}  // namespace
}  // namespace lantern::testing
