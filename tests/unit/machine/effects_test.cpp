// What instructions read and write, against what their description in the processor's manual says.
#include "core/machine/effects.h"

#include <gtest/gtest.h>

namespace lantern {
namespace {

Effects effects(std::initializer_list<int> code) {
    std::vector<std::byte> bytes;
    for (int byte : code) bytes.push_back(static_cast<std::byte>(byte));
    auto found = effects_of(bytes);
    EXPECT_TRUE(found);
    return found.value_or(Effects{});
}

constexpr unsigned kRax = 0, kRdx = 1, kRbx = 3, kRsp = 7;

TEST(Effects, APushWritesBelowTheStackPointer) {
    Effects push = effects({0x50});  // push rax
    ASSERT_EQ(push.memory.size(), 1u);
    EXPECT_TRUE(push.memory[0].writes && push.memory[0].is_implied && !push.memory[0].reads);
    Registers registers;
    registers.set(kRsp, 0x7000);
    EXPECT_EQ(accessed_address(push.memory[0], registers, RunAddress(1)), 0x6ff8u);
}

TEST(Effects, AReturnReadsTheStackAndACallWritesIt) {
    Effects back = effects({0xc3});
    ASSERT_EQ(back.memory.size(), 1u);
    EXPECT_TRUE(back.memory[0].reads && !back.memory[0].writes);
    Registers registers;
    registers.set(kRsp, 0x7000);
    EXPECT_EQ(accessed_address(back.memory[0], registers, RunAddress(1)), 0x7000u);
    Effects call = effects({0xff, 0x10});  // call [rax]
    ASSERT_EQ(call.memory.size(), 2u);
    EXPECT_TRUE(call.memory[0].reads && !call.memory[0].is_implied);
    EXPECT_TRUE(call.memory[1].writes && call.memory[1].is_implied);
}

TEST(Effects, WhichOperandsMustBeAligned) {
    EXPECT_EQ(effects({0x0f, 0x28, 0x00}).memory[0].alignment, 16u);        // movaps xmm0, [rax]
    EXPECT_EQ(effects({0x0f, 0x10, 0x00}).memory[0].alignment, 1u);         // movups xmm0, [rax]
    EXPECT_EQ(effects({0x0f, 0x58, 0x00}).memory[0].alignment, 16u);        // addps xmm0, [rax]
    EXPECT_EQ(effects({0xf3, 0x0f, 0x58, 0x00}).memory[0].alignment, 1u);   // addss xmm0, [rax]
    EXPECT_EQ(effects({0x66, 0x0f, 0x6f, 0x00}).memory[0].alignment, 16u);  // movdqa xmm0, [rax]
    EXPECT_EQ(effects({0xf3, 0x0f, 0x6f, 0x00}).memory[0].alignment, 1u);   // movdqu xmm0, [rax]
    EXPECT_EQ(effects({0xc5, 0xfc, 0x28, 0x00}).memory[0].alignment, 32u);  // vmovaps ymm0, [rax]
    EXPECT_EQ(effects({0xc5, 0xfc, 0x58, 0x00}).memory[0].alignment,
              1u);  // vaddps ymm0, ymm0, [rax]
    EXPECT_EQ(effects({0x48, 0x0f, 0xc7, 0x08}).memory[0].alignment, 16u);  // cmpxchg16b [rax]
}

TEST(Effects, SegmentsScalesAndAddressesThatAreOnlyComputed) {
    Registers registers;
    registers.set(kRax, 0x1000);
    registers.set(kRdx, 3);
    registers.thread_base = 0x50000;
    Effects local = effects({0x64, 0x8b, 0x04, 0x25, 0xfc, 0xff, 0xff, 0xff});  // mov eax, fs:[-4]
    EXPECT_EQ(accessed_address(local.memory[0], registers, RunAddress(0)), 0x4fffcu);
    Effects scaled = effects({0x89, 0x44, 0x90, 0x08});  // mov [rax+rdx*4+8], eax
    EXPECT_TRUE(scaled.memory[0].writes);
    EXPECT_EQ(scaled.memory[0].size, 4u);
    EXPECT_EQ(accessed_address(scaled.memory[0], registers, RunAddress(0)), 0x1014u);
    Effects computed = effects({0x48, 0x8d, 0x44, 0x90, 0x08});  // lea rax, [rax+rdx*4+8]
    EXPECT_TRUE(computed.memory.empty());
    ASSERT_TRUE(computed.address);
    EXPECT_EQ(accessed_address(*computed.address, registers, RunAddress(0)), 0x1014u);
    Effects beside = effects({0x8b, 0x05, 0x10, 0, 0, 0});  // mov eax, [rip+0x10]
    EXPECT_EQ(accessed_address(beside.memory[0], registers, RunAddress(0x400)), 0x410u);
}

TEST(Effects, CopiesClearingsAndWhatOnlyTheKernelMayDo) {
    EXPECT_TRUE(effects({0x48, 0x89, 0xd8}).is_copy);         // mov rax, rbx
    EXPECT_FALSE(effects({0x48, 0x01, 0xd8}).is_copy);        // add rax, rbx
    EXPECT_TRUE(effects({0x31, 0xc0}).clears_its_register);   // xor eax, eax
    EXPECT_FALSE(effects({0x31, 0xd8}).clears_its_register);  // xor eax, ebx
    EXPECT_TRUE(effects({0xf4}).is_privileged);               // hlt
    EXPECT_FALSE(effects({0x90}).is_privileged);
    EXPECT_TRUE(effects({0xf7, 0xf9}).divides);  // idiv ecx
    Effects moved = effects({0x48, 0x89, 0xd8});
    for (const RegisterUse& use : moved.registers)
        EXPECT_EQ(use.writes, use.dwarf_number == kRax) << use.dwarf_number;
    EXPECT_EQ(
        std::count_if(moved.registers.begin(), moved.registers.end(),
                      [](const RegisterUse& use) { return use.reads && use.dwarf_number == kRbx; }),
        1);
    EXPECT_FALSE(effects_of(std::vector<std::byte>{std::byte{0x48}}));
}

}  // namespace
}  // namespace lantern
