// Decompressed sections that are kept: found as they were, and not at all where anything about them
// is not as it was.
#include "core/object/section_cache.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <fstream>

#include "core/object/elf_file.h"
#include "core/support/kept_files.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

namespace fs = std::filesystem;

std::vector<std::byte> some_bytes(std::size_t size) {
    std::vector<std::byte> bytes(size);
    for (std::size_t i = 0; i < size; ++i) bytes[i] = static_cast<std::byte>(i * 7 + i / 251);
    return bytes;
}

std::vector<fs::path> files_of(const fs::path& folder) {
    std::vector<fs::path> files;
    for (const auto& entry : fs::directory_iterator(folder)) files.push_back(entry.path());
    return files;
}

TEST(SectionCache, GivesBackWhatWasKept) {
    testing::TemporaryFolder folder;
    SectionCache cache(folder.path() / "kept", 1 << 20);
    auto bytes = some_bytes(5000);
    EXPECT_EQ(cache.find("ab12", ".debug_info", bytes.size()), nullptr);
    cache.keep("ab12", ".debug_info", bytes);
    auto found = cache.find("ab12", ".debug_info", bytes.size());
    ASSERT_NE(found, nullptr);
    EXPECT_TRUE(std::equal(bytes.begin(), bytes.end(), found.get()));
    for (auto [id, section, size] : {std::tuple{"ab13", ".debug_info", 5000u},
                                     {"ab12", ".debug_line", 5000u},
                                     {"ab12", ".debug_info", 4999u},
                                     {"ab12", ".debug_info", 5001u}})
        EXPECT_EQ(cache.find(id, section, size), nullptr) << id << section << size;
    ASSERT_EQ(files_of(folder.path() / "kept").size(), 1u) << "nothing half-written is left";
}

TEST(SectionCache, DoesNotTakeWhatWasChanged) {
    testing::TemporaryFolder folder;
    SectionCache cache(folder.path(), 1 << 20);
    auto bytes = some_bytes(3000);
    for (long at : {0L, 8L, 16L, 24L, 1500L, 3023L}) {
        cache.keep("ab12", ".debug_info", bytes);
        std::fstream file(files_of(folder.path()).front(),
                          std::ios::in | std::ios::out | std::ios::binary);
        file.seekg(at);
        char byte = static_cast<char>(file.get());
        file.seekp(at);
        file.put(static_cast<char>(byte ^ 0x10));
        file.close();
        EXPECT_EQ(cache.find("ab12", ".debug_info", bytes.size()), nullptr) << "changed at " << at;
    }
    fs::resize_file(files_of(folder.path()).front(), 1000);
    EXPECT_EQ(cache.find("ab12", ".debug_info", bytes.size()), nullptr) << "cut";
}

TEST(SectionCache, HoldsNoMoreThanItMay) {
    testing::TemporaryFolder folder;
    SectionCache cache(folder.path(), 10'000);
    for (const char* id : {"aa", "bb", "cc", "dd"}) {
        cache.keep(id, ".debug_info", some_bytes(4000));
        fs::last_write_time(folder.path() / (std::string(id) + ".debug_info.section"),
                            fs::file_time_type::clock::now() - std::chrono::hours(1));
    }
    std::uintmax_t total = 0;
    for (const fs::path& file : files_of(folder.path())) total += fs::file_size(file);
    EXPECT_LE(total, 10'000u);
    EXPECT_NE(cache.find("dd", ".debug_info", 4000), nullptr) << "the last one stays";
}

TEST(SectionCache, AFolderThatCannotBeWrittenIsNoTrouble) {
    SectionCache cache("/proc/nowhere", 1 << 20);
    cache.keep("ab12", ".debug_info", some_bytes(100));
    EXPECT_EQ(cache.find("ab12", ".debug_info", 100), nullptr);
}

// A real file, whose sections are large enough: the C library's own, where its package is
// installed.
TEST(SectionCache, ServesAnObjectFile) {
    std::string id = ElfFile("/lib/x86_64-linux-gnu/libc.so.6").build_id();
    fs::path debug = "/usr/lib/debug/.build-id/" + id.substr(0, 2) + "/" + id.substr(2) + ".debug";
    if (!fs::exists(debug)) GTEST_SKIP() << "libc6-dbg is not installed: SKIPPED";
    testing::TemporaryFolder folder;
    SectionCache cache(folder.path(), 64 << 20);
    ElfFile plain(debug), first(debug), second(debug);
    first.use(&cache);
    second.use(&cache);
    for (const char* name : {".debug_info", ".debug_line", ".debug_str"}) {
        ByteSpan wanted = plain.bytes(name);
        for (const ElfFile* file : {&first, &second}) {
            ByteSpan got = file->bytes(name);
            EXPECT_TRUE(std::equal(wanted.begin(), wanted.end(), got.begin(), got.end())) << name;
        }
    }
    EXPECT_GE(files_of(folder.path()).size(), 1u);
    // What the second took came from there: with the file changed it does not any more, and is
    // right all the same.
    for (const fs::path& file : files_of(folder.path()))
        std::ofstream(file, std::ios::binary) << "nothing";
    ElfFile third(debug);
    third.use(&cache);
    ByteSpan wanted = plain.bytes(".debug_info"), got = third.bytes(".debug_info");
    EXPECT_TRUE(std::equal(wanted.begin(), wanted.end(), got.begin(), got.end()));
}

}  // namespace
}  // namespace lantern
