#include <gtest/gtest.h>

#include "core/analysis/structure_parts.h"
#include "core/analysis/structure_report.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

struct Arrow {
    unsigned from, to;
    const char* row = "next";
};

// Boxes of one title, each with the arrows that begin at it; depths as a walk would have them.
StructureReport structure(std::vector<std::string> titles, const std::vector<Arrow>& arrows) {
    StructureReport report;
    for (const std::string& title : titles) {
        StructureBox box;
        box.number = static_cast<unsigned>(report.boxes.size()) + 1;
        box.title = title;
        box.address = "0x" + std::to_string(box.number) + "0";
        report.boxes.push_back(box);
    }
    for (const Arrow& arrow : arrows) {
        StructureRow row;
        row.name = arrow.row;
        row.state = PointerState::leads;
        row.to = arrow.to;
        report.boxes[arrow.from - 1].rows.push_back(row);
        StructureBox& to = report.boxes[arrow.to - 1];
        if (to.depth == 0 && arrow.to > arrow.from)
            to.depth = report.boxes[arrow.from - 1].depth + 1;
    }
    recognise_shape(report);
    return report;
}

using Numbers = std::vector<unsigned>;

TEST(StructureShape, AChainInBothDirections) {
    StructureReport report =
        structure({"b", "b", "b"}, {{1, 2}, {2, 3}, {2, 1, "before"}, {3, 2, "before"}});
    EXPECT_EQ(report.shape, StructureShape::chain);
    EXPECT_EQ(report.chain, (Numbers{1, 2, 3}));
}

TEST(StructureShape, AChainWhoseFirstRowLeadsBack) {
    StructureReport report =
        structure({"b", "b", "b"}, {{1, 2}, {2, 1, "before"}, {2, 3}, {3, 2, "before"}});
    EXPECT_EQ(report.shape, StructureShape::chain);
}

TEST(StructureShape, ARingIsAChainThatCloses) {
    StructureReport report = structure({"b", "b", "b"}, {{1, 2}, {2, 3}, {3, 1}});
    EXPECT_EQ(report.shape, StructureShape::chain);
    EXPECT_EQ(report.chain.size(), 3u);
}

TEST(StructureShape, WhatTheElementsLeadToIsNoPartOfTheChain) {
    StructureReport report =
        structure({"b", "b", "keeper"}, {{1, 2}, {1, 3, "keeper"}, {2, 3, "keeper"}});
    EXPECT_EQ(report.shape, StructureShape::chain);
    EXPECT_EQ(report.chain, (Numbers{1, 2}));
}

TEST(StructureShape, AChainThatSkipsIsNone) {
    StructureReport report =
        structure({"b", "b", "b", "b", "b"}, {{1, 2}, {2, 3}, {3, 4}, {4, 5}, {2, 4, "over"}});
    EXPECT_EQ(report.shape, StructureShape::graph);
}

TEST(StructureShape, ATreeWithWaysBackToItsParents) {
    StructureReport report =
        structure({"t", "t", "t", "t"},
                  {{1, 2, "left"}, {1, 3, "right"}, {2, 4, "left"}, {2, 1, "up"}, {3, 1, "up"}});
    EXPECT_EQ(report.shape, StructureShape::tree);
}

TEST(StructureShape, TwoParentsMakeAGraph) {
    StructureReport report = structure(
        {"t", "t", "t", "t"}, {{1, 2, "left"}, {1, 3, "right"}, {2, 4, "left"}, {3, 4, "left"}});
    EXPECT_EQ(report.shape, StructureShape::graph);
    EXPECT_EQ(structure({"t"}, {}).shape, StructureShape::single);
}

TEST(StructureChanges, AreNewGoneAndChanged) {
    StructureReport before = structure({"b", "b", "b"}, {{1, 2}, {2, 3}});
    StructureReport now = structure({"b", "b", "b"}, {{1, 2}, {2, 3}});
    now.boxes[2].address = "0x99";  // another one in its place
    mark_changes(before, now);
    EXPECT_EQ(now.fresh, 1u);
    EXPECT_EQ(now.gone, 1u);
    EXPECT_EQ(now.changed, 1u) << "the second leads to another one";
    ASSERT_EQ(now.boxes.size(), 4u);
    EXPECT_EQ(now.boxes[1].rows[0].before, "0x30");
    EXPECT_EQ(now.boxes[3].change, BoxChange::gone);
    EXPECT_EQ(now.boxes[0].change, BoxChange::same);
}

TEST(StructureChanges, APointerThatWasFreedHasChangedThoughItsNumberHasNot) {
    StructureReport before = structure({"b", "b"}, {{1, 2}});
    StructureReport now = structure({"b"}, {});
    StructureRow freed;
    freed.name = "next";
    freed.value = "0x20";
    freed.state = PointerState::freed;
    freed.remark = "freed heap block of 40 bytes";
    now.boxes[0].rows.push_back(freed);
    mark_changes(before, now);
    EXPECT_EQ(now.changed, 1u);
    EXPECT_EQ(now.gone, 1u);
}

TEST(StructureParts, ABoxInsideAnotherIsAPartOfIt) {
    Type number;
    number.kind = TypeKind::integer;
    number.size = 4;
    number.name = "int";
    Type pair = number;  // what matters is its size
    pair.size = 16;
    StructureReport report = structure({"start", "int", "pair"}, {{1, 2}, {1, 3, "pair"}});
    std::vector<Value> values = {value_in_memory(number, RunAddress(0x10)),
                                 value_in_memory(number, RunAddress(0x104)),
                                 value_in_memory(pair, RunAddress(0x100))};
    std::vector<StructureBox> boxes = without_parts(report.boxes, values, {{}, {}, {}});
    ASSERT_EQ(boxes.size(), 2u);
    EXPECT_EQ(boxes[0].rows[0].to, 2u) << "into the pair";
    EXPECT_EQ(boxes[0].rows[1].to, 2u);
    EXPECT_EQ(boxes[1].title, "pair");
    EXPECT_NE(boxes[0].rows[0].into, "");
}

TEST(StructureParts, AnElementThatWasMetBeforeItsContainerIsAPartOfIt) {
    Type number;
    number.kind = TypeKind::integer;
    number.size = 4;
    number.name = "int";
    StructureReport report = structure({"start", "lock", "flight"}, {{1, 2}, {1, 3, "all"}});
    std::vector<Value> values = {value_in_memory(number, RunAddress(0x10)),
                                 value_in_memory(number, RunAddress(0x5000)),
                                 value_in_memory(number, RunAddress(0x100))};
    std::vector<StructureBox> boxes =
        without_parts(report.boxes, values, {{}, WholeOfPart{2, "locks[1]"}, {}});
    ASSERT_EQ(boxes.size(), 2u);
    EXPECT_EQ(boxes[0].rows[0].to, 2u);
    EXPECT_EQ(boxes[0].rows[0].into, "locks[1]");
    EXPECT_EQ(boxes[0].rows[1].into, "");
    // Where damaged memory says of two that each holds the other, both are shown.
    boxes = without_parts(report.boxes, values, {{}, WholeOfPart{2, "a"}, WholeOfPart{1, "b"}});
    EXPECT_GE(boxes.size(), 2u);
}

// The deepest lock is met before the flight whose element it is.
TEST(Structure, APointerToAnElementLeadsIntoItsContainer) {
    testing::TemporaryFolder folder;
    auto source = folder.write("flight.cpp", R"(
#include <vector>
struct Lock { int level; Lock *next; };
struct Flight { Lock *deepest; std::vector<Lock> locks; };
int main() {
    Flight flight{nullptr, {{3, nullptr}, {9, nullptr}, {5, nullptr}}};
    flight.deepest = &flight.locks[1];
    flight.locks[2].next = &flight.locks[0];
    return flight.deepest->level - 9;
}
)");
    std::string program = folder.path() / "flight";
    ASSERT_EQ(testing::run({"g++", "-g", "-O0", "-o", program, source}).status, 0);
    testing::Ran ran = testing::debug(program, {"pause at 9", "launch", "draw flight"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_EQ(ran.output.find("   2  "), std::string::npos) << "one box alone: " << ran.output;
    EXPECT_TRUE(ran.says("→ 1 locks[1]")) << ran.output;
    EXPECT_TRUE(ran.says("→ 1 locks[0]")) << ran.output;
}

}  // namespace
}  // namespace lantern
