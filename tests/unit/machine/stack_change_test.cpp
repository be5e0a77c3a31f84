// What instructions do to the stack pointer, held against the processor: each instruction of a run
// is executed by single steps, and the stack pointer is looked at before and behind it.
#include "core/machine/stack_change.h"

#include <gtest/gtest.h>

#include "core/session/session.h"
#include "core/target/code_at.h"
#include "core/target/live_process.h"
#include "tests/testing/command.h"
#include "tests/testing/launching.h"

namespace lantern {
namespace {

using Changes = StackChange::Kind;

StackChange change(std::initializer_list<unsigned char> bytes) {
    std::vector<std::byte> code;
    for (unsigned char byte : bytes) code.push_back(std::byte{byte});
    return stack_change(code);
}

TEST(StackChanges, OfSingleInstructions) {
    EXPECT_EQ(change({0x55}).amount, -8) << "push rbp";
    EXPECT_EQ(change({0x5d}).amount, 8) << "pop rbp";
    EXPECT_EQ(change({0x48, 0x83, 0xec, 0x28}).amount, -0x28) << "sub rsp, 0x28";
    EXPECT_EQ(change({0x48, 0x83, 0xc4, 0x28}).amount, 0x28) << "add rsp, 0x28";
    EXPECT_EQ(change({0x48, 0x8d, 0x64, 0x24, 0xf8}).amount, -8) << "lea rsp, [rsp-8]";
    EXPECT_EQ(change({0x48, 0x89, 0xe5}).kind, Changes::into_frame) << "mov rbp, rsp";
    EXPECT_EQ(change({0x48, 0x89, 0xec}).kind, Changes::to_frame) << "mov rsp, rbp";
    EXPECT_EQ(change({0x48, 0x8d, 0x65, 0xd8}).amount, -0x28) << "lea rsp, [rbp-0x28]";
    EXPECT_EQ(change({0xc9}).kind, Changes::takes_over_frame) << "leave";
    EXPECT_EQ(change({0x48, 0x83, 0xe4, 0xe0}).amount, 32) << "and rsp, -32";
    EXPECT_EQ(change({0x48, 0x29, 0xc4}).kind, Changes::unknown) << "sub rsp, rax";
    EXPECT_EQ(change({0x5c}).kind, Changes::unknown) << "pop rsp";
    EXPECT_EQ(change({0xe8, 0, 0, 0, 0}).kind, Changes::none) << "a call comes back as it went";
    EXPECT_EQ(change({0x89, 0xc8}).kind, Changes::none) << "mov eax, ecx";
    EXPECT_EQ(change({0x48}).kind, Changes::unknown) << "cut off";
}

class StackChangesOf : public ::testing::TestWithParam<const char*> {};

TEST_P(StackChangesOf, AreWhatTheProcessorDoes) {
    Session session(testing::quiet_launch(testing::fixture(GetParam())), {});
    session.reach(session.place("main"));
    LiveProcess& process = session.process();
    unsigned compared = 0, changed = 0;
    for (unsigned step = 0; step < 4000; ++step) {
        ThreadId thread = process.id();
        Registers before = process.registers(thread);
        auto instruction = instruction_at(process, before.program_counter());
        std::byte bytes[16];
        std::size_t got = process.read_available(before.program_counter(), bytes);
        if (!instruction || session.into_instruction().is_end()) break;
        if (instruction->kind == Instruction::Kind::call ||
            instruction->kind == Instruction::Kind::returns)
            continue;
        StackChange told = stack_change(ByteSpan(bytes).first(got));
        auto after = static_cast<std::int64_t>(process.registers(thread).stack_pointer().value),
             was = static_cast<std::int64_t>(before.stack_pointer().value),
             frame = static_cast<std::int64_t>(before.get(6).value_or(0));
        switch (told.kind) {
            case Changes::none:
            case Changes::into_frame: EXPECT_EQ(after, was); break;
            case Changes::adds: EXPECT_EQ(after, was + told.amount); break;
            case Changes::aligns:
                EXPECT_LE(after, was);
                EXPECT_GT(after, was - told.amount);
                break;
            case Changes::to_frame:
            case Changes::takes_over_frame: EXPECT_EQ(after, frame + told.amount); break;
            case Changes::unknown: continue;
        }
        ++compared;
        changed += after != was;
    }
    EXPECT_GT(compared, 1000u);
    EXPECT_GT(changed, 50u);
}

INSTANTIATE_TEST_SUITE_P(Programs, StackChangesOf,
                         ::testing::Values("locks-gcc-O0-dwarf5-pie", "day-c-gcc-O2",
                                           "day-cpp-gcc-O1"));

}  // namespace
}  // namespace lantern
