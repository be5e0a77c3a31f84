#include "core/object/elf_file.h"

#include <gtest/gtest.h>

#include <regex>

#include "core/object/symbol_table.h"
#include "core/support/error.h"
#include "tests/testing/command.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

using testing::fixture;
using testing::TemporaryFolder;

std::string refusal(const std::filesystem::path& path) {
    try {
        ElfFile file(path);
    } catch (const FileError& error) {
        return error.what();
    }
    return "accepted";
}

// readelf -S: "[ 1] .interp PROGBITS 0000000000000318 000318 00001c …"
TEST(ElfFile, SectionsAreThoseThatReadelfLists) {
    for (const char* name :
         {"locks-gcc-O0-dwarf5-pie", "locks-gcc-O2-dwarf4-nopie", "locks-static"}) {
        ElfFile file(fixture(name));
        static const std::regex row(
            R"(^\s+\[\s*\d+\]\s+(\S+)\s+\S+\s+([0-9a-f]{16})\s+[0-9a-f]+\s+([0-9a-f]+))");
        std::size_t seen = 0;
        for (const std::string& line :
             testing::lines_of(testing::run({"readelf", "-W", "-S", fixture(name)}).output)) {
            std::smatch match;
            if (!std::regex_search(line, match, row)) continue;
            const Section* section = file.section(match[1].str());
            ASSERT_NE(section, nullptr) << match[1];
            EXPECT_EQ(section->address.value, std::stoull(match[2], nullptr, 16)) << match[1];
            EXPECT_EQ(section->size, std::stoull(match[3], nullptr, 16)) << match[1];
            ++seen;
        }
        EXPECT_GT(seen, 20u);
    }
}

TEST(ElfFile, KnowsBuildIdPositionAndInterpreter) {
    ElfFile pie(fixture("locks-gcc-O0-dwarf5-pie")), fixed(fixture("locks-gcc-O0-dwarf5-nopie")),
        whole(fixture("locks-static"));
    EXPECT_TRUE(pie.position_independent());
    EXPECT_FALSE(fixed.position_independent());
    EXPECT_TRUE(pie.dynamic());
    EXPECT_FALSE(whole.dynamic());
    EXPECT_NE(pie.interpreter().find("ld-linux"), std::string::npos);
    auto notes = testing::run({"readelf", "-n", fixture("locks-gcc-O0-dwarf5-pie")});
    ASSERT_FALSE(pie.build_id().empty());
    EXPECT_TRUE(notes.says("Build ID: " + pie.build_id())) << notes.output;
}

TEST(ElfFile, LoadedBytesAreThoseOfTheFile) {
    ElfFile file(fixture("locks-gcc-O0-dwarf5-pie"));
    const Section* text = file.section(".text");
    ByteSpan by_section = file.bytes(".text"),
             by_address = file.loaded_bytes(text->address, text->size);
    ASSERT_EQ(by_section.size(), text->size);
    EXPECT_EQ(by_section.data(), by_address.data()) << "mapped once, not copied";
    EXPECT_TRUE(file.loaded_bytes(FileAddress(0xdead0000), 8).empty());
}

TEST(ElfFile, DecompressesSections) {
    ElfFile plain(fixture("locks-gcc-O0-dwarf5-pie")), packed(fixture("locks-compressed"));
    EXPECT_LT(packed.section(".debug_info")->stored_size, plain.section(".debug_info")->size);
    EXPECT_NEAR(static_cast<double>(packed.bytes(".debug_info").size()),
                static_cast<double>(plain.bytes(".debug_info").size()), 64.0);
}

TEST(ElfFile, RefusesWhatIsNoProgramAndSaysWhatItIs) {
    TemporaryFolder folder;
    EXPECT_NE(refusal(folder.path() / "nothing").find("there is no file"), std::string::npos);
    EXPECT_NE(refusal(folder.path()).find("is a folder"), std::string::npos);
    EXPECT_NE(
        refusal(folder.write("run.sh", "#!/bin/sh\necho hi\n")).find("is a script (#!/bin/sh)"),
        std::string::npos);
    EXPECT_NE(refusal(folder.write("notes.txt", "hello")).find("is not an ELF file"),
              std::string::npos);
    EXPECT_NE(refusal(folder.write("empty", "")).find("is empty"), std::string::npos);
    EXPECT_NE(refusal(folder.write("short",
                                   "\x7f"
                                   "ELF"))
                  .find("ELF"),
              std::string::npos);

    std::string program = TemporaryFolder().read(fixture("locks-gcc-O0-dwarf5-pie"));
    std::string foreign = program;
    foreign[18] = static_cast<char>(0xb7);  // e_machine: AArch64
    EXPECT_NE(refusal(folder.write("foreign", foreign)).find("ARM (AArch64)"), std::string::npos);
    std::string small = program;
    small[4] = 1;   // ELFCLASS32
    small[18] = 3;  // 386
    EXPECT_NE(refusal(folder.write("small", small)).find("32-bit x86"), std::string::npos)
        << refusal(folder.path() / "small");
    std::string object = program;
    object[16] = 1;  // e_type: relocatable
    EXPECT_NE(refusal(folder.write("thing.o", object)).find("not linked yet"), std::string::npos);
    std::string core = program;
    core[16] = 4;
    EXPECT_NE(refusal(folder.write("core", core)).find("core file"), std::string::npos);
}

TEST(ElfFile, ATruncatedFileFailsWithASentenceOrStaysUsable) {
    TemporaryFolder folder;
    std::string program = TemporaryFolder().read(fixture("locks-gcc-O0-dwarf5-pie"));
    for (std::size_t size :
         {64ul, 100ul, 1000ul, 5000ul, program.size() / 2, program.size() - 100}) {
        auto path = folder.write("cut", program.substr(0, size));
        try {
            ElfFile file(path);
            EXPECT_NE(file.damage().find("cut short"), std::string::npos) << size;
            for (const Section& section : file.sections()) {
                try {
                    file.bytes(section);
                } catch (const FormatError& error) {
                    EXPECT_NE(std::string(error.what()).find("beyond the end of the file"),
                              std::string::npos);
                }
            }
        } catch (const FileError& error) {
            EXPECT_FALSE(std::string(error.what()).empty());
        }
    }
}

TEST(SymbolTable, AgreesWithNm) {
    for (const char* name : {"locks-gcc-O0-dwarf5-pie", "locks-gcc-O2-dwarf4-nopie"}) {
        ElfFile file(fixture(name));
        SymbolTable table(file);
        auto witness = testing::witness_symbols(fixture(name));
        ASSERT_FALSE(witness.empty());
        for (const char* symbol :
             {"main", "factorial", "fill", "tolls", "global_count", "_start"}) {
            if (!witness.count(symbol)) continue;  // inlined away
            const ElfSymbol* found = table.named(symbol);
            ASSERT_NE(found, nullptr) << symbol;
            EXPECT_EQ(found->address.value, witness[symbol]) << symbol;
            EXPECT_EQ(table.covering(found->address + (found->size ? found->size - 1 : 0))->name,
                      symbol);
        }
    }
}

TEST(SymbolTable, AStrippedProgramKeepsItsDynamicSymbols) {
    ElfFile file(fixture("locks-stripped"));
    SymbolTable table(file);
    EXPECT_FALSE(table.has_full_table());
    EXPECT_EQ(table.named("main"), nullptr);
}

}  // namespace
}  // namespace lantern
