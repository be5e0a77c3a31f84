// Bytes as an assembler writes them (`as`, looked at with objdump).
#include "core/machine/operation.h"

#include <gtest/gtest.h>

#include <initializer_list>
#include <vector>

namespace lantern {
namespace {

Operation operation_in(std::initializer_list<unsigned> bytes) {
    std::vector<std::byte> code;
    for (unsigned byte : bytes) code.push_back(static_cast<std::byte>(byte));
    auto operation = operation_of(code);
    EXPECT_TRUE(operation.has_value());
    return operation.value_or(Operation{});
}

TEST(Operation, TellsWhatARegisterMovesBy) {
    Operation add = operation_in({0x48, 0x83, 0xc2, 0x10});  // add rdx, 16
    ASSERT_TRUE(add.step.has_value());
    EXPECT_EQ(add.step->dwarf_number, 1u);
    EXPECT_EQ(add.step->amount, 16);
    EXPECT_EQ(operation_in({0x48, 0x83, 0xe9, 0x04}).step->amount, -4);  // sub rcx, 4
    EXPECT_EQ(operation_in({0xff, 0xc0}).step->amount, 1);               // inc eax
    EXPECT_EQ(operation_in({0x48, 0x8d, 0x40, 0x08}).step->amount, 8);   // lea rax, [rax+8]
    EXPECT_FALSE(operation_in({0x48, 0x8d, 0x43, 0x08}).step);           // lea rax, [rbx+8]
    EXPECT_FALSE(operation_in({0x48, 0x8d, 0x44, 0x08, 0x08}).step);     // lea rax, [rax+rcx+8]
    EXPECT_FALSE(operation_in({0x04, 0x01}).step);                       // add al, 1
    EXPECT_FALSE(operation_in({0x48, 0x01, 0xd0}).step);                 // add rax, rdx
    EXPECT_FALSE(operation_in({0x48, 0x83, 0x00, 0x01}).step);           // add qword [rax], 1
}

TEST(Operation, TellsSeveralNumbersAtOnce) {
    Operation integers = operation_in({0x66, 0x0f, 0xfe, 0xc1});  // paddd xmm0, xmm1
    EXPECT_EQ(integers.vector_size, 16u);
    EXPECT_EQ(integers.lane_size, 4u);
    Operation doubles = operation_in({0x66, 0x0f, 0x58, 0xc1});  // addpd xmm0, xmm1
    EXPECT_EQ(doubles.lane_size, 8u);
    Operation wide = operation_in({0xc5, 0xf5, 0xfe, 0xc2});  // vpaddd ymm0, ymm1, ymm2
    EXPECT_EQ(wide.vector_size, 32u);
    EXPECT_EQ(wide.lane_size, 4u);
    Operation bits = operation_in({0x66, 0x0f, 0xef, 0xc1});  // pxor xmm0, xmm1
    EXPECT_EQ(bits.vector_size, 16u);
    EXPECT_EQ(bits.lane_size, 0u);
    Operation shifted = operation_in({0x66, 0x0f, 0x72, 0xf0, 0x02});  // pslld xmm0, 2
    EXPECT_EQ(shifted.vector_size, 16u);
    EXPECT_EQ(shifted.lane_size, 4u);
    EXPECT_EQ(operation_in({0xf3, 0x0f, 0x58, 0xc1}).vector_size, 0u) << "addss: one number";
    EXPECT_EQ(operation_in({0xf2, 0x0f, 0x2a, 0xc0}).vector_size, 0u) << "cvtsi2sd: one number";
    EXPECT_EQ(operation_in({0x0f, 0x10, 0x00}).vector_size, 0u) << "movups only moves";
    EXPECT_EQ(operation_in({0x66, 0x0f, 0xef, 0xc0}).vector_size, 0u) << "pxor xmm0, xmm0 clears";
    EXPECT_EQ(operation_in({0x66, 0x0f, 0x62, 0xc1}).vector_size, 0u) << "punpckldq only moves";
    EXPECT_EQ(operation_in({0x66, 0x0f, 0x73, 0xd8, 0x08}).vector_size, 0u) << "psrldq only moves";
}

TEST(Operation, TellsAChoiceWithoutAJump) {
    EXPECT_TRUE(operation_in({0x0f, 0x4f, 0xc2}).chooses);  // cmovg eax, edx
    EXPECT_FALSE(operation_in({0x89, 0xc2}).chooses);       // mov edx, eax
}

TEST(Operation, OfWhatIsNoInstructionIsNone) {
    std::byte cut[] = {std::byte{0x48}};
    EXPECT_FALSE(operation_of(cut));
    EXPECT_FALSE(operation_of({}));
}

}  // namespace
}  // namespace lantern
