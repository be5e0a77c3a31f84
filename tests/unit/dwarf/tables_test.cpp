// The tables beside the entries: package indexes, address tables, and the names in line headers.
#include <gtest/gtest.h>

#include "core/dwarf/address_table.h"
#include "core/dwarf/line_program.h"
#include "core/dwarf/package_index.h"
#include "core/support/error.h"
#include "core/symbols/module_symbols.h"
#include "core/symbols/places.h"
#include "tests/testing/command.h"
#include "tests/testing/witness.h"

namespace lantern::dwarf {
namespace {

using testing::fixture;

template <class... Numbers>
std::string words(Numbers... numbers) {
    std::string out;
    for (std::uint32_t number : {static_cast<std::uint32_t>(numbers)...})
        out.append(reinterpret_cast<const char*>(&number), 4);
    return out;
}

ByteSpan bytes(const std::string& text) {
    return std::as_bytes(std::span(text));
}

// Two units in four slots: signatures, rows, columns INFO ABBREV LINE STR_OFFSETS, offsets, sizes.
std::string package(std::uint32_t version) {
    std::string out = words(version, 4, 2, 4);
    out += words(0, 0, 0x11, 0x22, 0, 0, 0x33, 0x44);  // slots 1 and 3
    out += words(0, 2, 0, 1);
    out += words(DW_SECT_INFO, DW_SECT_ABBREV, DW_SECT_LINE, DW_SECT_STR_OFFSETS);
    out += words(0, 0, 0, 0) + words(100, 20, 30, 40);
    out += words(100, 20, 30, 40) + words(200, 5, 6, 7);
    return out;
}

TEST(PackageIndex, BothVersionsAreRead) {
    for (std::uint32_t version : {2u, 5u}) {
        std::string section = package(version);
        auto rows = read_package_index(bytes(section), ".debug_cu_index");
        ASSERT_EQ(rows.size(), 2u);
        EXPECT_EQ(rows[0].signature, 0x4400000033u);
        EXPECT_EQ(rows[0].info_offset, 0u);
        EXPECT_EQ(rows[1].signature, 0x2200000011u);
        EXPECT_EQ(rows[1].info_offset, 100u);
        EXPECT_EQ(rows[1].parts.abbrev, 20u);
        EXPECT_EQ(rows[1].parts.line, 30u);
        EXPECT_EQ(rows[1].parts.string_offsets, 40u);
        EXPECT_EQ(rows[1].parts.range_lists, 0u);
    }
    EXPECT_TRUE(read_package_index({}, ".debug_cu_index").empty());
}

TEST(PackageIndex, DamageIsNamed) {
    std::string section = package(5);
    EXPECT_THROW(read_package_index(bytes(section).first(40), "index"), FormatError);
    std::string newer = package(7);
    EXPECT_THROW(read_package_index(bytes(newer), "index"), FormatError);
    std::string crowded = section;
    crowded[8] = 9;  // more units than slots
    EXPECT_THROW(read_package_index(bytes(crowded), "index"), FormatError);
    std::string astray = section;
    astray[16 + 32 + 4] = 3;  // a slot that leads to a third row
    EXPECT_THROW(read_package_index(bytes(astray), "index"), FormatError);
    std::string huge = section;
    huge[14] = '\x7f';
    EXPECT_THROW(read_package_index(bytes(huge), "index"), FormatError);
}

TEST(AddressTable, SaysWhatReadelfSays) {
    for (const char* name : {"locks-gcc-O2-dwarf5-nopie", "barges-gccO25/barges",
                             "barges-gcc4/barges", "barges-rust"}) {
        if (!std::filesystem::exists(fixture(name))) continue;
        ElfFile file(fixture(name));
        std::multiset<std::pair<std::uint64_t, std::uint64_t>> ours, theirs;
        for (const AddressTableEntry& entry : read_address_table(file.bytes(".debug_aranges")))
            ours.emplace(entry.range.low.value, entry.range.size());
        for (const std::string& line : testing::lines_of(
                 testing::run({"readelf", "--debug-dump=aranges", fixture(name)}).output)) {
            unsigned long low = 0, size = 0;
            char rest = 0;
            if (line.size() == 37 &&
                std::sscanf(line.c_str(), " %lx %lx %c", &low, &size, &rest) == 2 && size)
                theirs.emplace(low, size);
        }
        EXPECT_FALSE(theirs.empty()) << name;
        EXPECT_EQ(ours, theirs) << name;
    }
}

TEST(AddressTable, DamageIsNamed) {
    ElfFile file(fixture("locks-gcc-O2-dwarf5-nopie"));
    ByteSpan table = file.bytes(".debug_aranges");
    std::string sound(reinterpret_cast<const char*>(table.data()), table.size());
    EXPECT_FALSE(read_address_table(bytes(sound)).empty());
    for (auto [at, value] : {std::pair{0, '\xff'}, {4, '\x09'}, {10, '\x03'}, {11, '\x01'}}) {
        std::string damaged = sound;
        damaged[static_cast<std::size_t>(at)] = value;
        EXPECT_THROW(read_address_table(bytes(damaged)), FormatError) << at;
    }
    EXPECT_THROW(read_address_table(bytes(sound).first(7)), FormatError);
}

// The look at the names alone never misses a file that is there.
TEST(LineHeader, MentionsEveryFileThatIsThere) {
    for (const char* name :
         {"locks-dwarf2", "locks-gcc-O0-dwarf5-pie", "barges-gcc4/barges", "barges-clang5/barges",
          "barges-split5/barges", "barges-wide5/barges", "barges-dwz/barges"}) {
        if (!std::filesystem::exists(fixture(name))) continue;
        ModuleSymbols symbols(fixture(name));
        std::size_t files = 0;
        for (const auto& unit : symbols.debug_info().units()) {
            for (const LineFile& file : symbols.files_of(*unit)) {
                std::string last = std::filesystem::path(file.path).filename();
                if (last.empty()) continue;
                EXPECT_TRUE(may_mention_file(*unit, last)) << file.path << " in " << name;
                ++files;
            }
            EXPECT_FALSE(may_mention_file(*unit, "wherry.c"));
        }
        EXPECT_GE(files, 1u) << name;
    }
}

TEST(LineHeader, TheLinesWithCodeAreThoseOfReadelf) {
    for (const char* name : {"locks-gcc-O0-dwarf5-pie", "locks-gcc-O0-dwarf4-nopie"}) {
        ModuleSymbols symbols(fixture(name));
        std::set<std::uint32_t> theirs;
        for (auto [address, line, is_statement] : testing::witness_lines(fixture(name)))
            if (is_statement && line) theirs.insert(line);
        std::set<std::uint32_t> ours;
        for (const Unit* unit : units_mentioning(symbols, "locks.c"))
            ours.merge(lines_with_code_in(symbols, *unit, "locks.c", 1, ~0u));
        EXPECT_EQ(ours, theirs) << name;
    }
}

}  // namespace
}  // namespace lantern::dwarf
