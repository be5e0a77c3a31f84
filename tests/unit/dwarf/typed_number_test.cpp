// Witness: what the compiler itself computes with numbers of these types.
#include "core/dwarf/typed_number.h"

#include <gtest/gtest.h>

#include <bit>

#include "core/dwarf/operations.h"
#include "core/support/error.h"

namespace lantern::dwarf {
namespace {

using NumberKind = NumberType::Kind;
constexpr NumberType kPlain, kUnsigned4{NumberKind::unsigned_whole, 4},
    kSigned4{NumberKind::signed_whole, 4}, kSigned1{NumberKind::signed_whole, 1},
    kFloat{NumberKind::floating, 4}, kDouble{NumberKind::floating, 8},
    kSigned8{NumberKind::signed_whole, 8};

TypedNumber typed(std::uint64_t bits, NumberType type) {
    return number_of_type(bits, type);
}
TypedNumber typed(double value) {
    return {std::bit_cast<std::uint64_t>(value), kDouble};
}

TEST(TypedNumber, WholeOnesAreCutToTheirSize) {
    for (std::uint32_t a : {0u, 1u, 7u, 0x7fffffffu, 0x80000000u, 0xfffffff9u})
        for (std::uint32_t b : {1u, 3u, 31u, 0xffffffffu, 0x80000001u}) {
            auto both = [&](std::uint8_t operation, NumberType type) {
                return static_cast<std::uint32_t>(
                    computed(operation, typed(a, type), typed(b, type)).bits);
            };
            EXPECT_EQ(both(DW_OP_plus, kUnsigned4), a + b);
            EXPECT_EQ(both(DW_OP_mul, kUnsigned4), a * b);
            EXPECT_EQ(both(DW_OP_div, kUnsigned4), a / b);
            EXPECT_EQ(both(DW_OP_mod, kUnsigned4), a % b);
            if (b < 32) {
                EXPECT_EQ(both(DW_OP_shr, kUnsigned4), a >> b);
                EXPECT_EQ(both(DW_OP_shl, kUnsigned4), a << b);
                EXPECT_EQ(both(DW_OP_shra, kSigned4),
                          static_cast<std::uint32_t>(static_cast<std::int32_t>(a) >> b));
            }
            std::int64_t first = static_cast<std::int32_t>(a),
                         second = static_cast<std::int32_t>(b);
            EXPECT_EQ(both(DW_OP_div, kSigned4), static_cast<std::uint32_t>(first / second));
            EXPECT_EQ(both(DW_OP_mod, kSigned4), static_cast<std::uint32_t>(first % second));
            EXPECT_EQ(compared(DW_OP_lt, typed(a, kUnsigned4), typed(b, kUnsigned4)).bits, a < b);
            EXPECT_EQ(compared(DW_OP_lt, typed(a, kSigned4), typed(b, kSigned4)).bits,
                      first < second);
        }
}

TEST(TypedNumber, ASignGoesOnInALargerType) {
    EXPECT_EQ(converted(typed(0xff, kSigned1), kSigned8).bits, ~std::uint64_t{0});
    EXPECT_EQ(converted(typed(0xff, kSigned1), kUnsigned4).bits, 0xffffffffu);
    EXPECT_EQ(converted(typed(0xffffffff, kUnsigned4), kSigned8).bits, 0xffffffffu);
    EXPECT_EQ(converted(typed(0x1234567890, kPlain), kUnsigned4).bits, 0x34567890u);
    EXPECT_EQ(computed(DW_OP_neg, typed(1, kSigned4)).bits, ~std::uint64_t{0});
    EXPECT_EQ(computed(DW_OP_not, typed(1, kUnsigned4)).bits, 0xfffffffeu);
    EXPECT_EQ(computed(DW_OP_abs, typed(0xfb, kSigned1)).bits, 5u);
}

TEST(TypedNumber, FloatingOnesAreComputedAsSuch) {
    EXPECT_EQ(computed(DW_OP_div, typed(1.0), typed(8.0)).bits, typed(0.125).bits);
    EXPECT_EQ(computed(DW_OP_neg, typed(1.5)).bits, typed(-1.5).bits);
    EXPECT_EQ(compared(DW_OP_gt, typed(-1.5), typed(-2.5)).bits, 1u);
    EXPECT_EQ(converted(typed(-7, kSigned4), kDouble).bits, typed(-7.0).bits);
    EXPECT_EQ(converted(typed(-7.9), kSigned4).bits, static_cast<std::uint64_t>(-7));
    EXPECT_EQ(converted(typed(0.1), kFloat).bits, std::bit_cast<std::uint32_t>(0.1f));
    EXPECT_THROW(computed(DW_OP_and, typed(1.0), typed(1.0)), FormatError);
    EXPECT_THROW(converted(typed(1e300), kSigned8), FormatError);
}

TEST(TypedNumber, APlainOneTakesTheTypeBesideIt) {
    EXPECT_EQ(computed(DW_OP_plus, typed(0xffffffff, kUnsigned4), typed(1, kPlain)).bits, 0u);
    EXPECT_EQ(computed(DW_OP_minus, typed(1, kPlain), typed(2, kUnsigned4)).bits, 0xffffffffu);
    EXPECT_EQ(compared(DW_OP_lt, typed(2, kPlain), typed(~std::uint64_t{0}, kPlain)).bits, 0u)
        << "plain ones have a sign";
    EXPECT_EQ(compared(DW_OP_lt, typed(2, kPlain), typed(~std::uint64_t{0}, kPlain)).type, kPlain);
    EXPECT_THROW(computed(DW_OP_div, typed(2, kPlain), typed(0, kPlain)), FormatError);
    EXPECT_THROW(computed(DW_OP_mod, typed(2, kUnsigned4), typed(0, kUnsigned4)), FormatError);
}

}  // namespace
}  // namespace lantern::dwarf
