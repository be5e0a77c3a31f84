#include "core/dwarf/unread_slot.h"

#include <gtest/gtest.h>

#include "core/dwarf/operations.h"

namespace lantern::dwarf {
namespace {

std::vector<std::byte> account(std::initializer_list<int> numbers) {
    std::vector<std::byte> bytes;
    for (int number : numbers) bytes.push_back(static_cast<std::byte>(number));
    return bytes;
}
constexpr int kOnStack = DW_OP_breg0 + 7;  // rsp

TEST(UnreadSlot, OfAConversionIsReadFirst) {
    auto slot = unread_slot(account({kOnStack, 56, DW_OP_convert, 0x3f, DW_OP_stack_value}));
    ASSERT_TRUE(slot);
    EXPECT_EQ(slot->read,
              account({kOnStack, 56, DW_OP_deref, DW_OP_convert, 0x3f, DW_OP_stack_value}));
    EXPECT_FALSE(slot->needs_upper_bits);
    EXPECT_FALSE(slot->may_be_address);
}

TEST(UnreadSlot, OfTheFrameBaseAsWell) {
    auto slot = unread_slot(
        account({DW_OP_fbreg, 0x80, 0x01, DW_OP_lit0 + 7, DW_OP_xor, DW_OP_stack_value}));
    ASSERT_TRUE(slot);
    EXPECT_EQ(slot->read[3], std::byte{DW_OP_deref});
}

TEST(UnreadSlot, OfASumMayBeAnAddress) {
    auto slot = unread_slot(account({kOnStack, 8, DW_OP_plus_uconst, 4, DW_OP_stack_value}));
    ASSERT_TRUE(slot);
    EXPECT_TRUE(slot->may_be_address);
}

TEST(UnreadSlot, WhoseUpperBitsAreAskedForIsNotToBeHad) {
    auto shifted =
        unread_slot(account({kOnStack, 8, DW_OP_lit0 + 7, DW_OP_shr, DW_OP_stack_value}));
    ASSERT_TRUE(shifted);
    EXPECT_TRUE(shifted->needs_upper_bits);
    auto converted_first = unread_slot(
        account({kOnStack, 8, DW_OP_convert, 0x3f, DW_OP_lit0 + 7, DW_OP_shr, DW_OP_stack_value}));
    ASSERT_TRUE(converted_first);
    EXPECT_FALSE(converted_first->needs_upper_bits);
}

TEST(UnreadSlot, IsNoOtherExpression) {
    for (const auto& other :
         {account({kOnStack, 56}),                                             // it lies there
          account({kOnStack, 56, DW_OP_deref, DW_OP_stack_value}),             // and is read
          account({DW_OP_breg0 + 3, 0, DW_OP_convert, 1, DW_OP_stack_value}),  // a register
          account({kOnStack, 8, DW_OP_breg0 + 3, 0, DW_OP_plus, DW_OP_stack_value}),
          account({kOnStack, 8, DW_OP_convert, 1, DW_OP_stack_value, DW_OP_piece, 4}),
          account({kOnStack, 8, DW_OP_convert}), account({kOnStack}), account({})})
        EXPECT_FALSE(unread_slot(other)) << other.size();
}

}  // namespace
}  // namespace lantern::dwarf
