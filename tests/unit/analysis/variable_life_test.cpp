#include "core/analysis/variable_life.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "tests/testing/driven.h"

namespace lantern {
namespace {

const VariableLane& lane_named(const VariableLife& life, const std::string& name) {
    return *std::ranges::find_if(life.lanes,
                                 [&](const VariableLane& lane) { return lane.name == name; });
}

class VariableLifeOf : public ::testing::TestWithParam<const char*> {};

// Witness: the function run instruction by instruction, and whether the variable has a value there.
TEST_P(VariableLifeOf, SaysWhereTheValueIsThere) {
    if (!HAVE_CLANG && std::string(GetParam()).find("clang") != std::string::npos)
        GTEST_SKIP() << "clang is not here: SKIPPED";
    testing::Driven driven(GetParam());
    driven.session.reach(driven.session.place("fill"));
    VariableLife life = report_life(driven.session.moment(), "water");
    EXPECT_EQ(life.function, "fill");
    ASSERT_EQ(life.lanes.front().name, "water");
    std::size_t compared = 0, without = 0;
    for (int step = 0; step < 60; ++step) {
        const Frame& frame = *driven.session.selected_frame();
        if (frame.function && frame.function->name != "fill") break;
        auto at = std::ranges::find_if(life.instructions, [&](const LifeInstruction& each) {
            return each.address == frame.program_counter;
        });
        ASSERT_NE(at, life.instructions.end());
        auto number = static_cast<std::size_t>(at - life.instructions.begin());
        VariableLife now = report_life(driven.session.moment(), "way");
        EXPECT_EQ(now.here, number);
        for (const char* name : {"water", "way"}) {
            const VariableLane& lane = lane_named(life, name);
            bool is_somewhere = std::ranges::any_of(lane.stretches, [&](const LifeStretch& each) {
                return each.first <= number && number <= each.last;
            });
            EXPECT_EQ(is_somewhere, driven.view(name).unavailable.empty())
                << name << " at instruction " << number;
            ++compared;
            without += !is_somewhere;
        }
        driven.session.over_instruction();
    }
    EXPECT_GE(compared, 16u);
    EXPECT_LT(without, compared);
}
INSTANTIATE_TEST_SUITE_P(Builds, VariableLifeOf,
                         ::testing::Values("unseen-gcc-O1", "unseen-gcc-O2", "unseen-clang-O2"),
                         [](const auto& info) {
                             std::string name = info.param;
                             std::replace(name.begin(), name.end(), '-', '_');
                             return name;
                         });

TEST(VariableLife, StretchesFollowOneAnother) {
    testing::Driven driven("chance-gcc-O2");
    driven.session.reach(driven.session.place("f1"));
    VariableLife life = report_life(driven.session.moment(), "p0");
    std::size_t stretches = 0;
    for (const VariableLane& lane : life.lanes) {
        std::size_t next = 0;
        for (const LifeStretch& each : lane.stretches) {
            EXPECT_LE(next, each.first) << lane.name;
            EXPECT_LE(each.first, each.last) << lane.name;
            EXPECT_LT(each.last, life.instructions.size()) << lane.name;
            EXPECT_NE(each.kind, PlaceKind::nowhere);
            EXPECT_FALSE(each.place.empty());
            next = each.last + 1;
            ++stretches;
        }
    }
    EXPECT_GE(stretches, 4u);
    EXPECT_THROW(report_life(driven.session.moment(), "nobody"), RequestError);
}

}  // namespace
}  // namespace lantern
