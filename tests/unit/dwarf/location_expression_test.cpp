#include "core/dwarf/location_expression.h"

#include <gtest/gtest.h>

#include "core/dwarf/location_list.h"
#include "core/support/error.h"
#include "tests/testing/bytes.h"

namespace lantern::dwarf {
namespace {

// A frame made up for these tests: registers 0 … 9 hold 100 … 109, memory at address a holds a * 2.
class MadeUpFrame final : public ExpressionContext {
  public:
    std::optional<std::uint64_t> register_value(unsigned number) override {
        return number < 10 ? std::optional<std::uint64_t>(100 + number) : std::nullopt;
    }
    std::uint64_t read_memory(std::uint64_t address, unsigned) override {
        if (address == 0) throw MemoryError("nothing at 0");
        return address * 2;
    }
    std::optional<std::uint64_t> frame_base() override { return 5000; }
    std::optional<std::uint64_t> call_frame_address() override { return 6000; }
    std::uint64_t run_address(FileAddress address) override { return address.value + 0x10000; }
    std::optional<std::uint64_t> thread_local_address(std::uint64_t) override {
        return std::nullopt;
    }
};

using testing::bytes;

std::uint64_t number(std::initializer_list<int> values) {
    MadeUpFrame frame;
    auto data = bytes(values);
    return evaluate_number(data, nullptr, frame).value_or(0xbad);
}

Location location(const std::vector<std::byte>& data) {
    MadeUpFrame frame;
    return evaluate_location(data, nullptr, frame);
}

TEST(LocationExpression, ComputesWithTheStack) {
    EXPECT_EQ(number({DW_OP_lit0 + 7, DW_OP_lit0 + 3, DW_OP_minus}), 4u);
    EXPECT_EQ(number({DW_OP_lit0 + 7, DW_OP_lit0 + 3, DW_OP_mul}), 21u);
    EXPECT_EQ(number({DW_OP_const1s, 0xf6, DW_OP_lit0 + 3, DW_OP_div}),
              static_cast<std::uint64_t>(-3));
    EXPECT_EQ(number({DW_OP_const1s, 0xf6, DW_OP_abs}), 10u);
    EXPECT_EQ(number({DW_OP_const1s, 0x80, DW_OP_lit0 + 2, DW_OP_shra}),
              static_cast<std::uint64_t>(-32));
    EXPECT_EQ(
        number({DW_OP_lit0 + 1, DW_OP_lit0 + 2, DW_OP_lit0 + 3, DW_OP_rot, DW_OP_drop, DW_OP_drop}),
        3u);
    EXPECT_EQ(number({DW_OP_lit0 + 1, DW_OP_lit0 + 2, DW_OP_over}), 1u);
    EXPECT_EQ(number({DW_OP_lit0 + 1, DW_OP_lit0 + 2, DW_OP_swap}), 1u);
    EXPECT_EQ(number({DW_OP_lit0 + 9, DW_OP_lit0 + 8, DW_OP_pick, 1}), 9u);
    EXPECT_EQ(number({DW_OP_lit0 + 2, DW_OP_const1s, 0xff, DW_OP_lt}), 0u)
        << "comparisons are signed";
    EXPECT_EQ(number({DW_OP_lit0 + 1, DW_OP_bra, 1, 0, DW_OP_lit0 + 5, DW_OP_lit0 + 6}), 6u);
    EXPECT_EQ(number({DW_OP_breg0 + 7, 0x78}), 107u - 8);
    EXPECT_EQ(number({DW_OP_fbreg, 0x70}), 5000u - 16);
    EXPECT_EQ(number({DW_OP_call_frame_cfa}), 6000u);
    EXPECT_EQ(number({DW_OP_lit0 + 21, DW_OP_deref}), 42u);
    EXPECT_EQ(number({DW_OP_addr, 0x34, 0x12, 0, 0, 0, 0, 0, 0}), 0x11234u);
}

TEST(LocationExpression, NamesTheKindsOfPlaces) {
    auto in_memory = bytes({DW_OP_fbreg, 0x10}), in_register = bytes({DW_OP_reg0 + 3}),
         as_value = bytes({DW_OP_lit0 + 9, DW_OP_stack_value}),
         as_bytes = bytes({DW_OP_implicit_value, 2, 0xaa, 0xbb});
    EXPECT_EQ(location(in_memory).pieces.at(0).kind, LocationPiece::Kind::memory);
    EXPECT_EQ(location(in_memory).pieces.at(0).number, 5016u);
    EXPECT_EQ(location(in_register).pieces.at(0).kind, LocationPiece::Kind::in_register);
    EXPECT_EQ(location(in_register).pieces.at(0).number, 3u);
    EXPECT_EQ(location(as_value).pieces.at(0).kind, LocationPiece::Kind::value);
    EXPECT_EQ(location(as_bytes).pieces.at(0).bytes.size(), 2u);
}

TEST(LocationExpression, KeepsPiecesInOrderAndGapsAsMissing) {
    auto data =
        bytes({DW_OP_reg0 + 1, DW_OP_piece, 4, DW_OP_piece, 8, DW_OP_fbreg, 0, DW_OP_piece, 2});
    Location result = location(data);
    ASSERT_EQ(result.pieces.size(), 3u);
    EXPECT_EQ(result.pieces[0].bit_size, 32u);
    EXPECT_EQ(result.pieces[1].kind, LocationPiece::Kind::missing);
    EXPECT_EQ(result.pieces[2].kind, LocationPiece::Kind::memory);
}

TEST(LocationExpression, SaysWhyThereIsNoPlace) {
    auto unknown_register = bytes({DW_OP_breg0 + 15, 0}),
         entry = bytes({DW_OP_entry_value, 1, DW_OP_reg0 + 5, DW_OP_stack_value});
    EXPECT_TRUE(location(unknown_register).pieces.empty());
    EXPECT_NE(location(unknown_register).reason.find("register"), std::string::npos);
    EXPECT_NE(location(entry).reason.find("on entry"), std::string::npos);
    EXPECT_TRUE(location({}).pieces.empty());
}

// Registers 1 and 2 hold 101 and 102: a product of 10302, which one byte cuts to 62.
TEST(LocationExpression, CutsEachStepWhereItIsAsked) {
    MadeUpFrame frame;
    auto narrow = [&](std::initializer_list<int> values) {
        auto data = bytes(values);
        return evaluate_narrow(data, nullptr, frame, 1);
    };
    EXPECT_EQ(narrow({DW_OP_breg0 + 1, 0, DW_OP_breg0 + 2, 0, DW_OP_mul, DW_OP_lit0 + 2, DW_OP_shr,
                      DW_OP_stack_value}),
              62u >> 2);
    EXPECT_EQ(narrow({DW_OP_breg0 + 1, 0, DW_OP_lit0 + 2, DW_OP_plus, DW_OP_stack_value}),
              std::nullopt)
        << "no shift looks at the upper bits";
    EXPECT_EQ(narrow({DW_OP_breg0 + 1, 0, DW_OP_lit0 + 9, DW_OP_shr, DW_OP_stack_value}),
              std::nullopt)
        << "the upper bits are what is wanted";
    EXPECT_EQ(narrow({DW_OP_breg0 + 1, 0, DW_OP_lit0 + 2, DW_OP_shr, DW_OP_lit0 + 3, DW_OP_div,
                      DW_OP_stack_value}),
              std::nullopt)
        << "a division asks for the sign";
    EXPECT_EQ(narrow({DW_OP_breg0 + 1, 0, DW_OP_lit0 + 2, DW_OP_shr}), std::nullopt)
        << "an address";
    EXPECT_EQ(narrow({DW_OP_plus}), std::nullopt);
}

TEST(LocationRange, HoldsFromARowToARow) {
    LocationRange range{FileRange{FileAddress(16), FileAddress(32)}, {}, false, 2, 1};
    auto holds = [&](unsigned address, std::uint16_t row) {
        return range.holds_at(FileAddress(address), row);
    };
    EXPECT_FALSE(holds(15, kLastRow));
    EXPECT_FALSE(holds(16, 1));
    EXPECT_TRUE(holds(16, 2));
    EXPECT_TRUE(holds(16, kLastRow));
    EXPECT_TRUE(holds(20, 0));
    EXPECT_TRUE(holds(32, 0));
    EXPECT_FALSE(holds(32, 1));
    EXPECT_FALSE(holds(33, 0));
    LocationRange at_one{FileRange{FileAddress(16), FileAddress(16)}, {}, false, 1, 3};
    EXPECT_FALSE(at_one.holds_at(FileAddress(16), 0));
    EXPECT_TRUE(at_one.holds_at(FileAddress(16), 2));
    EXPECT_FALSE(at_one.holds_at(FileAddress(16), 3));
}

TEST(LocationExpression, RefusesNonsenseWithoutHangingOrCrashing) {
    MadeUpFrame frame;
    auto loops = bytes({DW_OP_skip, 0xfd, 0xff});
    EXPECT_THROW(evaluate_number(loops, nullptr, frame), FormatError);
    auto grows = bytes({DW_OP_lit0, DW_OP_skip, 0xfc, 0xff});
    EXPECT_THROW(evaluate_number(grows, nullptr, frame), FormatError);
    for (auto wrong :
         {bytes({DW_OP_plus}), bytes({DW_OP_lit0, DW_OP_lit0, DW_OP_div}), bytes({0xee}),
          bytes({DW_OP_addr, 1}), bytes({DW_OP_pick, 9}), bytes({DW_OP_skip, 0x70, 0x7f}),
          bytes({DW_OP_implicit_value, 0x7f}), bytes({DW_OP_addrx, 0})})
        EXPECT_THROW(evaluate_location(wrong, nullptr, frame), FormatError);
    auto null_read = bytes({DW_OP_lit0, DW_OP_deref});
    EXPECT_THROW(evaluate_number(null_read, nullptr, frame), MemoryError);
}

}  // namespace
}  // namespace lantern::dwarf
