// Where a jump is said to lead, held against a program that is single-stepped.
#include "core/target/jump_goal.h"

#include <gtest/gtest.h>

#include "core/target/code_at.h"
#include "core/target/live_process.h"
#include "tests/testing/driven.h"

namespace lantern {
namespace {

class JumpGoal : public ::testing::TestWithParam<const char*> {};

TEST_P(JumpGoal, IsWhereTheNextInstructionStands) {
    testing::Driven at(GetParam());
    at.session.reach(at.session.place("main"));
    LiveProcess& process = at.session.process();
    ThreadId thread = at.session.thread();
    unsigned taken = 0, passed = 0, computed = 0;
    for (unsigned step = 0; step < 20'000; ++step) {
        auto instruction = instruction_at(process, process.registers(thread).program_counter());
        ASSERT_TRUE(instruction);
        auto goal = jump_goal(process, thread);
        bool is_jump = instruction->kind == Instruction::Kind::jump ||
                       instruction->kind == Instruction::Kind::conditional_jump;
        EXPECT_EQ(goal.has_value(), is_jump) << std::hex << instruction->address.value;
        if (process.step(thread).is_end()) break;
        RunAddress now = process.registers(thread).program_counter();
        if (!goal) continue;
        EXPECT_EQ(goal->value, now.value) << std::hex << instruction->address.value;
        ++(now == instruction->next() ? passed : taken);
        computed += !instruction->target;
    }
    EXPECT_GT(taken, 10u);
    EXPECT_GT(passed, 10u);
    EXPECT_GT(computed, 10u) << "the tables of jumps, and the linkage table";
}

INSTANTIATE_TEST_SUITE_P(Programs, JumpGoal,
                         ::testing::Values("sluices-gcc-O0", "sluices-gcc-O2", "day-c-gcc-O2"),
                         [](const auto& each) {
                             std::string name = each.param;
                             std::ranges::replace(name, '-', '_');
                             return name;
                         });

TEST(JumpGoalOfNoJump, IsNothing) {
    testing::Driven at("sluices-gcc-O0");
    at.session.reach(at.session.place("main"));
    EXPECT_FALSE(jump_goal(at.session.process(), at.session.thread()));
}

}  // namespace
}  // namespace lantern
