// The processor's state beyond the general registers: what a program loaded is what is read, and
// what is written is what it finds.
#include "core/machine/extended_state.h"

#include <gtest/gtest.h>

#include <cstring>

#include "tests/testing/driven.h"

namespace lantern {
namespace {

template <class T>
T lane(const ExtendedState& state, unsigned number, unsigned index) {
    T value;
    std::memcpy(&value, state.vectors[number].data() + index * sizeof(T), sizeof value);
    return value;
}

TEST(ExtendedState, HoldsWhatTheProgramLoaded) {
    testing::Driven at("machine-gcc-O0");
    at.session.set_arguments({"vectors"});
    at.session.reach(at.session.place("vectors"));
    at.session.over_line();
    auto state = read_extended_state(at.session.target().extended_state(at.session.thread()));
    ASSERT_TRUE(state);
    EXPECT_EQ(lane<double>(*state, 5, 0), 1.5);
    EXPECT_EQ(lane<double>(*state, 5, 1), -2.25);
    EXPECT_EQ(lane<double>(*state, 6, 0), 1e10);
    EXPECT_EQ(lane<std::uint32_t>(*state, 7, 2), 0xdeadbeefu);
    EXPECT_TRUE(state->stack_in_use[0]);
    EXPECT_FALSE(state->stack_in_use[1]);
    EXPECT_EQ(at.value("%st0"), "3.1415926535897932385") << "fldpi";
    EXPECT_EQ(at.value("%xmm5[1]"), "-2.25");
    EXPECT_TRUE(at.value("%xmm7.u32[2]").starts_with("3735928559"));
    EXPECT_EQ(at.value("%ymm5.f64[0]"),
              state->vector_size >= 32 ? "1.5" : at.value("%ymm5.f64[0]"));
    // Lane by lane, the upper halves too.
    at.session.assign("%xmm6.f32[3]", "0.25");
    EXPECT_EQ(at.value("%xmm6.f32[3]"), "0.25");
    EXPECT_EQ(at.value("%xmm6.f64[0]"), "10000000000.0") << "the others stay";
    if (state->vector_size >= 32) {
        at.session.assign("%ymm6.u32[7]", "77");
        EXPECT_EQ(at.value("%ymm6.u32[7]"), "77");
    }
    if (state->vector_size >= 64) {
        at.session.assign("%zmm20.u8[63]", "9");
        EXPECT_TRUE(at.value("%zmm20.u8[63]").starts_with("9"));
        at.session.assign("%k3", "5");
        EXPECT_EQ(at.value("%k3"), "5");
    }
    at.session.into_instruction();
    EXPECT_EQ(at.value("%xmm6.f32[3]"), "0.25") << "the processor has it";
    EXPECT_NE(at.value("%xmm5.f16").find("has no lanes f16"), std::string::npos);
}

TEST(ExtendedState, OfTooFewBytesIsNone) {
    std::vector<std::byte> area(511);
    EXPECT_FALSE(read_extended_state(area));
    area.resize(512);
    auto legacy = read_extended_state(area);
    ASSERT_TRUE(legacy);
    EXPECT_EQ(legacy->vector_size, 16u);
    EXPECT_FALSE(legacy->masks);
    area.resize(4096);
    std::uint64_t everything = ~std::uint64_t{0};
    std::memcpy(area.data() + 464, &everything, sizeof everything);
    auto wide = read_extended_state(area);
    ASSERT_TRUE(wide);
    EXPECT_EQ(wide->vectors.size(), 32u) << "the layout of a processor with all parts";
    EXPECT_FALSE(place_of_vector_byte(area, 32, 0));
    EXPECT_FALSE(place_of_mask(area, 8));
}

}  // namespace
}  // namespace lantern
