// Separate debug files: found where they should be, refused where they belong to another build.
#include <gtest/gtest.h>

#include "core/object/debug_link.h"
#include "core/support/error.h"
#include "core/symbols/demangle.h"
#include "core/symbols/module_symbols.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

namespace fs = std::filesystem;
using testing::fixture;
using testing::TemporaryFolder;

std::string contents(const std::string& path) {
    return TemporaryFolder().read(path);
}

// Nothing of this machine's own symbols gets in.
SymbolSearch only(std::vector<fs::path> folders) {
    SymbolSearch search;
    search.folders = std::move(folders);
    search.system_folders.clear();
    return search;
}

TEST(SymbolFiles, ADebugLinkIsFollowedWhenItsChecksumFits) {
    ModuleSymbols symbols(fixture("barges-linked/barges"), only({}));
    EXPECT_EQ(symbols.files().origin(), SymbolOrigin::debug_link);
    EXPECT_EQ(symbols.functions_named("canal::pass").size(), 1u);
    EXPECT_TRUE(symbols.symbol_table().has_full_table())
        << "the linker's symbols come from the separate file too";
    EXPECT_TRUE(symbols.problems().empty());
}

TEST(SymbolFiles, AnotherChecksumIsRefusedAndSaid) {
    TemporaryFolder folder;
    std::string program = folder.write("barges", contents(fixture("barges-linked/barges")));
    std::string other = contents(fixture("barges-linked/barges.debug"));
    other.back() = static_cast<char>(other.back() ^ 1);
    folder.write("barges.debug", other);
    ModuleSymbols symbols(program, only({}));
    EXPECT_EQ(symbols.files().origin(), SymbolOrigin::beside)
        << "the build id still fits, and that is enough under the program's own name";
    ASSERT_EQ(symbols.files().refused().size(), 1u);
    EXPECT_NE(symbols.files().refused()[0].find("checksum"), std::string::npos);
}

TEST(SymbolFiles, ABuildIdFindsItsFileAndNoOther) {
    TemporaryFolder folder;
    std::string program = folder.write("barges", contents(fixture("barges-stripped/barges")));
    ElfFile elf(program);
    ASSERT_GT(elf.build_id().size(), 10u);
    fs::path place = folder.path() / "symbols" / ".build-id" / elf.build_id().substr(0, 2);
    fs::create_directories(place);
    fs::copy_file(fixture("barges-linked/barges.debug"),
                  place / (elf.build_id().substr(2) + ".debug"));
    ModuleSymbols found(program, only({folder.path() / "symbols"}));
    EXPECT_EQ(found.files().origin(), SymbolOrigin::build_id);
    EXPECT_EQ(found.functions_named("canal::pass").size(), 1u);
    EXPECT_FALSE(ModuleSymbols(program, only({})).has_debug_information());
    // The same place with a file of another build.
    fs::remove(place / (elf.build_id().substr(2) + ".debug"));
    fs::copy_file(fixture("barges-gccO25/barges"), place / (elf.build_id().substr(2) + ".debug"));
    ModuleSymbols refused(program, only({folder.path() / "symbols"}));
    EXPECT_FALSE(refused.has_debug_information());
    ASSERT_EQ(refused.files().refused().size(), 1u);
    EXPECT_NE(refused.files().refused()[0].find("belongs to build"), std::string::npos);
}

TEST(SymbolFiles, AnUnstrippedCopyInANamedFolderServes) {
    TemporaryFolder folder;
    std::string program = folder.write("barges", contents(fixture("barges-stripped/barges")));
    fs::create_directories(folder.path() / "kept");
    fs::copy_file(fixture("barges-gcc5/barges"), folder.path() / "kept" / "barges");
    ModuleSymbols symbols(program, only({folder.path() / "kept"}));
    EXPECT_EQ(symbols.files().origin(), SymbolOrigin::beside);
    EXPECT_EQ(symbols.functions_named("canal::pass").size(), 1u);
}

TEST(SymbolFiles, AServerIsAskedOnlyWhenSwitchedOn) {
    std::string asked;
    SymbolSearch search = only({});
    search.fetch = [&](const std::string& id) -> std::optional<fs::path> {
        asked = id;
        return fixture("barges-linked/barges.debug");
    };
    ModuleSymbols symbols(fixture("barges-stripped/barges"), search);
    EXPECT_EQ(symbols.files().origin(), SymbolOrigin::server);
    EXPECT_EQ(asked, symbols.elf().build_id());
    EXPECT_EQ(symbols.functions_named("canal::pass").size(), 1u);
}

TEST(SymbolFiles, SymbolsInsideTheProgramComeOutOfTheirCompression) {
    TemporaryFolder folder;
    // As distributions make it: the function symbols alone, compressed, as a section of the
    // stripped program.
    std::string script = "set -e; cd '" + folder.path().string() + "'; objcopy --strip-debug " +
                         fixture("barges-gcc5/barges") +
                         " inner; "
                         "python3 -c \"import lzma; "
                         "open('inner.xz','wb').write(lzma.compress(open('inner','rb').read()))\"; "
                         "objcopy --add-section .gnu_debugdata=inner.xz " +
                         fixture("barges-stripped/barges") + " program";
    auto made = testing::run({"sh", "-c", script});
    ASSERT_EQ(made.status, 0) << made.errors;
    ModuleSymbols symbols(folder.path() / "program", only({}));
    ASSERT_NE(symbols.files().inner(), nullptr);
    const ElfSymbol* main = symbols.symbol_table().named("main");
    ASSERT_NE(main, nullptr);
    EXPECT_EQ(symbols.nearest_name(main->address + 4)->name, "main");
    // A damaged one is told and the session goes on.
    std::string bytes = folder.read("program");
    std::size_t at = bytes.find(
        "\xfd"
        "7zXZ");
    ASSERT_NE(at, std::string::npos);
    bytes[at + 40] = static_cast<char>(bytes[at + 40] ^ 0x55);
    ModuleSymbols damaged(folder.write("damaged", bytes), only({}));
    EXPECT_EQ(damaged.files().inner(), nullptr);
    ASSERT_FALSE(damaged.problems().empty());
    EXPECT_NE(damaged.problems()[0].find(".gnu_debugdata"), std::string::npos);
}

TEST(SymbolFiles, TheSharedFileIsHeldAgainstItsBuildId) {
    if (!HAVE_DWZ) GTEST_SKIP() << "dwz is not here";
    TemporaryFolder folder;
    std::string program = folder.write("barges", contents(fixture("barges-shared/barges")));
    ModuleSymbols without(program, only({}));
    EXPECT_EQ(without.files().shared(), nullptr);
    ASSERT_FALSE(without.files().refused().empty());
    EXPECT_NE(without.files().refused()[0].find("shared debug data common is missing"),
              std::string::npos)
        << without.files().refused()[0];
    folder.write("common", contents(fixture("barges-gccO25/barges")));
    EXPECT_EQ(ModuleSymbols(program, only({})).files().shared(), nullptr)
        << "another build's is refused";
    folder.write("common", contents(fixture("barges-shared/common")));
    ModuleSymbols with(program, only({}));
    EXPECT_NE(with.files().shared(), nullptr);
    EXPECT_NE(with.type_named("canal::Narrow"), nullptr);
}

TEST(Compression, RefusesSizesThatCannotBe) {
    TemporaryFolder folder;
    std::string bytes = contents(fixture("barges-zstd/barges"));
    ElfFile sound(fixture("barges-zstd/barges"));
    EXPECT_EQ(sound.section(".debug_info")->compression, "zstd");
    // The section's head: zstd, and the size that comes out.
    std::string head("\2\0\0\0\0\0\0\0", 8);
    std::uint64_t size = sound.section(".debug_info")->size;
    head.append(reinterpret_cast<const char*>(&size), 8);
    std::size_t at = bytes.find(head);
    ASSERT_NE(at, std::string::npos);
    bytes[at + 13] = '\x7f';  // the announced size grows beyond all bounds
    ModuleSymbols symbols(folder.write("huge", bytes), only({}));
    bool told = false;
    for (const std::string& problem : symbols.problems())
        told |= problem.find("cannot become") != std::string::npos;
    EXPECT_TRUE(told) << ::testing::PrintToString(symbols.problems());
    EXPECT_EQ(ElfFile(fixture("barges-zdebug/barges")).section(".zdebug_info")->compression,
              "zlib, old form");
}

TEST(Demangling, BothLanguagesOldAndNew) {
    EXPECT_EQ(demangled("_ZN5canal4passERKNS_5BargeENS_3WayE"),
              "canal::pass(canal::Barge const&, canal::Way)");
    EXPECT_EQ(demangled("_RNvCs1234_6barges4toll"), "barges::toll");
    EXPECT_EQ(demangled("_ZN6barges4toll17h0123456789abcdefE"), "barges::toll");
    EXPECT_EQ(demangled("main@@VERS_1"), "main");
    EXPECT_EQ(demangled("_Znonsense"), "_Znonsense");
    EXPECT_EQ(demangled(""), "");
}

}  // namespace
}  // namespace lantern
