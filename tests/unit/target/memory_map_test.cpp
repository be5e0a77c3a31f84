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

// A file that is loaded may be mapped to be read besides, and another file only to be read.
TEST(MemoryMap, TellsWhatIsLoadedFromWhatIsRead) {
    auto loaded =
        loaded_files(parse_maps("1000-9000 r--p 00000000 08:01 7 /lib/gate.so\n"
                                "a000-b000 r--p 00003000 08:01 7 /lib/gate.so\n"
                                "10000-11000 r--p 00000000 08:01 7 /lib/gate.so\n"
                                "11000-12000 r-xp 00001000 08:01 7 /lib/gate.so\n"
                                "13000-14000 r--p 00000000 08:01 7 /lib/gate.so\n"
                                "20000-24000 r--p 00000000 08:01 8 /lib/debug/gate.debug\n"
                                "30000-31000 r--p 00000000 08:01 9 /lib/tables.so\n"
                                "31000-32000 rw-p 00001000 08:01 9 /lib/tables.so\n"
                                "40000-41000 r-xp 00000000 08:01 6 /lib/old-layout.so\n"
                                "50000-51000 r-xp 00000000 00:00 0 [vdso]\n"
                                "60000-61000 rw-p 00000000 00:05 0 /dev/zero (deleted)\n"
                                "70000-71000 r-xp 00004000 08:01 5 /lib/without-beginning.so\n"));
    std::map<std::string, std::uint64_t> begins, expected = {{"/lib/gate.so", 0x10000},
                                                             {"/lib/tables.so", 0x30000},
                                                             {"/lib/old-layout.so", 0x40000}};
    for (const auto& [path, first] : loaded) begins[path] = first.low.value;
    EXPECT_EQ(begins, expected);
    EXPECT_EQ(loaded["/lib/gate.so"].high, RunAddress(0x11000));
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
