// The kernel's map of a process, line by line; and the same of this very process.
#include <gtest/gtest.h>

#include <fstream>
#include <sstream>

#include "core/target/memory_map.h"

namespace lantern {
namespace {

TEST(MemoryMap, IsReadLineByLine) {
    auto regions = parse_maps(
        "555555554000-555555555000 r-xp 00001000 fd:01 1234                       /home/lock "
        "keeper/flight 2\n"
        "7ffff7fc1000-7ffff7fc5000 r--p 00000000 00:00 0                          [vvar]\n"
        "7ffff7d00000-7ffff7d01000 rw-p 00000000 00:00 0 \n"
        "no region at all\n"
        "ffffffffff600000-ffffffffff601000 --xp 00000000 00:00 0                  [vsyscall]");
    ASSERT_EQ(regions.size(), 4u);
    EXPECT_EQ(regions[0].begin, RunAddress(0x555555554000));
    EXPECT_EQ(regions[0].end, RunAddress(0x555555555000));
    EXPECT_EQ(regions[0].permissions, "r-xp");
    EXPECT_EQ(regions[0].offset, 0x1000u);
    EXPECT_EQ(regions[0].name, "/home/lock keeper/flight 2") << "names may have spaces";
    EXPECT_TRUE(regions[0].is_of_file);
    EXPECT_EQ(regions[1].name, "[vvar]");
    EXPECT_FALSE(regions[1].is_of_file);
    EXPECT_EQ(regions[2].name, "");
    EXPECT_EQ(regions[3].begin, RunAddress(0xffffffffff600000));
    EXPECT_TRUE(parse_maps("").empty());
}

TEST(MemoryMap, OfThisProcessHoldsWhatItUses) {
    std::stringstream text;
    text << std::ifstream("/proc/self/maps").rdbuf();
    int local = 0;
    static int kept = 0;
    for (const void* used : {static_cast<const void*>(&local), static_cast<const void*>(&kept)}) {
        RunAddress address(reinterpret_cast<std::uint64_t>(used));
        auto regions = parse_maps(text.str());
        auto found = std::find_if(regions.begin(), regions.end(), [&](const MemoryRegion& region) {
            return region.contains(address);
        });
        ASSERT_NE(found, regions.end());
        EXPECT_TRUE(found->permissions.starts_with("rw"));
    }
}

}  // namespace
}  // namespace lantern
