#include <gtest/gtest.h>

#include "core/target/code_rooms.h"

namespace lantern {
namespace {

MemoryRegion region(std::uint64_t begin, std::uint64_t end) {
    return {RunAddress(begin), RunAddress(end), "r-xp", "", 0, false};
}

void expect_free(const std::vector<MemoryRegion>& regions, const RunRange& place) {
    for (const MemoryRegion& each : regions)
        EXPECT_TRUE(place.high <= each.begin || each.end <= place.low)
            << std::hex << each.begin.value << " and " << place.low.value;
    EXPECT_EQ(place.low.value % 4096, 0u);
}

TEST(PlaceForRoom, LiesBelowTheProgramAwayFromItsHeap) {
    std::vector<MemoryRegion> regions{region(0x555555554000, 0x555555558000),
                                      region(0x555555559000, 0x55555557a000),
                                      region(0x7ffff7a00000, 0x7ffff7c00000)};
    auto place = place_for_room(regions, RunAddress(0x555555555139));
    ASSERT_TRUE(place);
    expect_free(regions, *place);
    EXPECT_LT(place->high, RunAddress(0x555555554000));
    EXPECT_LT(0x555555555139 - place->low.value, std::uint64_t{1} << 31)
        << "a relative address reaches it";
}

TEST(PlaceForRoom, FitsBelowAProgramThatStandsLow) {
    std::vector<MemoryRegion> regions{region(0x400000, 0x405000)};
    auto place = place_for_room(regions, RunAddress(0x401136));
    ASSERT_TRUE(place);
    expect_free(regions, *place);
    EXPECT_GE(place->low, RunAddress(0x10000)) << "the kernel keeps the first pages";
}

TEST(PlaceForRoom, FitsBetweenLibraries) {
    std::vector<MemoryRegion> regions{region(0x7ffff0000000, 0x7ffff7a00000),
                                      region(0x7ffff7a0a000, 0x7ffff7c00000)};
    auto place = place_for_room(regions, RunAddress(0x7ffff7b00000));
    ASSERT_TRUE(place);
    expect_free(regions, *place);
    EXPECT_GE(place->low, RunAddress(0x7ffff7a00000));
}

TEST(PlaceForRoom, IsNowhereWhereAllIsTaken) {
    std::vector<MemoryRegion> regions{region(0x7fff00000000, 0x7fffb0000000),
                                      region(0x7fffb0001000, 0x7ffff0000000)};
    EXPECT_FALSE(place_for_room(regions, RunAddress(0x7fffe0000000)))
        << "the gap below the first is out of reach, the one page is too small";
}

TEST(CodeRooms, KeepAndForgetWhatWasMappedForThem) {
    CodeRooms rooms;
    rooms.all().push_back(
        {{RunAddress(0x1000), RunAddress(0x1030)}, 0, std::vector<std::byte>(0x30)});
    rooms.all().push_back({{RunAddress(0x8000), RunAddress(0xc000)}, 0, {}});
    EXPECT_FALSE(rooms.all()[0].next()) << "too small for a copy and what may stand behind it";
    EXPECT_EQ(rooms.all()[1].next(), RunAddress(0x8000));
    rooms.keep(RunAddress(0x400), {RunAddress(0x1000), false});
    rooms.keep(RunAddress(0x500), {RunAddress(0x8000), true});
    EXPECT_TRUE(rooms.is_mapped_for_us(RunAddress(0xbfff)));
    EXPECT_FALSE(rooms.is_mapped_for_us(RunAddress(0x1010)))
        << "that is the end of the program's own page";
    ASSERT_TRUE(rooms.around(RunAddress(0x8005)));
    EXPECT_EQ(rooms.around(RunAddress(0x8005))->first, RunAddress(0x500));
    rooms.forget_mapped();
    EXPECT_TRUE(rooms.find(RunAddress(0x400)));
    EXPECT_FALSE(rooms.find(RunAddress(0x500)));
    EXPECT_TRUE(rooms.holds(RunAddress(0x1010)));
    EXPECT_FALSE(rooms.holds(RunAddress(0x8000)));
}

}  // namespace
}  // namespace lantern
