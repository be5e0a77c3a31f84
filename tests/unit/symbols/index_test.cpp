// The name index: what names match, what a file of it may hold, and the indexes that programs bring
// themselves.
#include <gtest/gtest.h>

#include <sys/wait.h>
#include <unistd.h>

#include "core/support/error.h"
#include "core/symbols/index_file.h"
#include "core/symbols/module_symbols.h"
#include "tests/testing/command.h"
#include "tests/testing/names.h"

namespace lantern {
namespace {

namespace fs = std::filesystem;
using testing::fixture;
using testing::TemporaryFolder;

TEST(Names, AreTakenApart) {
    EXPECT_EQ(last_component("canal::flight<a::b>::fill<c::d>"), "fill<c::d>");
    EXPECT_EQ(last_component("canal::operator<"), "operator<");
    EXPECT_EQ(last_component("barges::main::{closure#0}"), "{closure#0}");
    EXPECT_EQ(last_component("main"), "main");
    EXPECT_EQ(without_template_arguments("fill<int>"), "fill");
    EXPECT_EQ(without_template_arguments("operator<"), "operator<");
    EXPECT_EQ(without_template_arguments("operators<int>"), "operators");
    EXPECT_EQ(without_template_arguments("<lambda(int)>"), "<lambda(int)>");
    EXPECT_EQ(without_all_template_arguments("canal::flight<a::b>::fill<c::d>"),
              "canal::flight::fill");
    EXPECT_EQ(without_all_template_arguments("canal::flight<int>::operator<"),
              "canal::flight::operator<");
}

TEST(Names, MatchByTheirTails) {
    EXPECT_TRUE(name_matches("canal::Barge::toll", "toll"));
    EXPECT_TRUE(name_matches("canal::Barge::toll", "Barge::toll"));
    EXPECT_FALSE(name_matches("canal::Barge::toll", "arge::toll"));
    EXPECT_FALSE(name_matches("canal::Barge::toll", "canal::toll"));
    EXPECT_TRUE(name_matches("canal::(anonymous)::hidden", "canal::hidden"));
    EXPECT_TRUE(name_matches("canal::deepest<int>", "deepest"));
    EXPECT_TRUE(name_matches("canal::deepest<int>", "deepest<int>"));
    EXPECT_FALSE(name_matches("canal::deepest<int>", "deepest<long>"));
    EXPECT_TRUE(name_matches("std::vector<int, std::allocator<int> >", "vector<int>"));
    EXPECT_TRUE(name_matches("std::vector<int, std::allocator<int> >", "std::vector<int>"));
    EXPECT_FALSE(name_matches("std::vector<int, std::allocator<int> >::size", "vector<int>"));
    EXPECT_FALSE(name_matches("std::vector<integer>", "vector<int>"));
}

TEST(Index, EveryNameIsFoundByItsLastComponent) {
    for (const char* name :
         {"barges-gcc5/barges", "locks-gcc-O2-dwarf4-pie", "barges-clang4/barges"}) {
        ModuleSymbols symbols(fixture(name));
        const SymbolIndex& index = symbols.index();
        ASSERT_GT(index.names().size(), 10u);
        for (const NameEntry& entry : index.names()) {
            unsigned found = 0;
            index.for_each_named(index.own_name(entry), [&](const NameEntry& other) {
                found += other.position == entry.position;
            });
            EXPECT_EQ(found, 1u) << index.qualified_name(entry) << " in " << name;
        }
        EXPECT_LE(index.memory(), index.names().size() * 150 + 1000);
    }
}

TEST(Index, AFileOfItIsTheSameIndex) {
    TemporaryFolder folder;
    ModuleSymbols symbols(fixture("barges-gcc5/barges"));
    const SymbolIndex& index = symbols.index();
    std::string id = symbols.elf().build_id();
    EXPECT_FALSE(load_index(folder.path(), id, symbols.debug_info()));
    ASSERT_TRUE(save_index(folder.path(), id, index, symbols.debug_info(), 1 << 30));
    auto kept = load_index(folder.path(), id, symbols.debug_info());
    ASSERT_TRUE(kept);
    ASSERT_EQ(kept->names().size(), index.names().size());
    for (std::size_t i = 0; i < index.names().size(); ++i)
        EXPECT_EQ(kept->qualified_name(kept->names()[i]), index.qualified_name(index.names()[i]));
    EXPECT_EQ(std::distance(fs::directory_iterator(folder.path()), fs::directory_iterator()), 1)
        << "nothing is left beside it";
    // Another program's entries do not fit, nor does a file cut short or of another version.
    ModuleSymbols other(fixture("barges-gccO25/barges"));
    EXPECT_FALSE(load_index(folder.path(), id, other.debug_info()));
    std::string bytes = folder.read(id + ".index");
    for (std::size_t size :
         {std::size_t{0}, std::size_t{10}, std::size_t{72}, bytes.size() / 2, bytes.size() - 1}) {
        folder.write(id + ".index", bytes.substr(0, size));
        EXPECT_FALSE(load_index(folder.path(), id, symbols.debug_info())) << size;
    }
    std::string newer = bytes;
    newer[8] = 99;
    folder.write(id + ".index", newer);
    EXPECT_FALSE(load_index(folder.path(), id, symbols.debug_info()));
}

TEST(Index, DamageInAFileNeverLeadsOutOfIt) {
    TemporaryFolder folder;
    ModuleSymbols symbols(fixture("barges-gcc5/barges"));
    std::string bytes = index_bytes(symbols.index(), 7);
    std::uint64_t state = 20261123;
    for (int round = 0; round < 200; ++round) {
        std::string changed = bytes;
        for (int i = 0; i < 30; ++i) {
            state = state * 6364136223846793005u + 1442695040888963407u;
            changed[72 + (state >> 33) % (bytes.size() - 72)] = static_cast<char>(state >> 20);
        }
        auto index =
            index_over(std::as_bytes(std::span(changed)), 7, symbols.debug_info(), nullptr);
        if (!index) continue;
        for (const NameEntry& entry : index->names()) index->qualified_name(entry);
        index->for_each_named("pass",
                              [&](const NameEntry& entry) { symbols.function(entry.position); });
    }
}

TEST(Index, TheFolderIsKeptWithinItsLimit) {
    TemporaryFolder folder;
    ModuleSymbols symbols(fixture("barges-gcc5/barges"));
    std::uint64_t size = index_bytes(symbols.index(), 0).size();
    for (const char* id : {"aaaa", "bbbb", "cccc", "dddd"}) {
        ASSERT_TRUE(
            save_index(folder.path(), id, symbols.index(), symbols.debug_info(), 2 * size + 100));
        fs::last_write_time(folder.path() / (std::string(id) + ".index"),
                            fs::file_time_type::clock::now() + std::chrono::seconds(id[0]));
    }
    EXPECT_EQ(std::distance(fs::directory_iterator(folder.path()), fs::directory_iterator()), 2);
    EXPECT_TRUE(fs::exists(folder.path() / "dddd.index"));
    EXPECT_FALSE(fs::exists(folder.path() / "aaaa.index"));
    EXPECT_FALSE(save_index("/proc/nowhere", "aaaa", symbols.index(), symbols.debug_info(), 1))
        << "a folder that cannot be";
}

TEST(Index, SeveralMayWriteAtOnce) {
    TemporaryFolder folder;
    ModuleSymbols symbols(fixture("barges-gcc5/barges"));
    symbols.index();
    // Processes, because that is what meets there.
    std::vector<pid_t> children;
    for (int i = 0; i < 8; ++i) {
        pid_t child = fork();
        if (child == 0) {
            bool good = true;
            for (int round = 0; round < 20; ++round) {
                good &= save_index(folder.path(), "feed", symbols.index(), symbols.debug_info(),
                                   1 << 30);
                good &= load_index(folder.path(), "feed", symbols.debug_info()).has_value();
            }
            _exit(good ? 0 : 1);
        }
        children.push_back(child);
    }
    for (pid_t child : children) {
        int status = 0;
        waitpid(child, &status, 0);
        EXPECT_EQ(status, 0);
    }
    EXPECT_TRUE(load_index(folder.path(), "feed", symbols.debug_info()));
}

// ---- entries that lead in circles

// A unit of DWARF 4 with two functions, each the other's abstract origin, and two aliases of each
// other.
struct Circle {
    std::string abbrev{
        "\x01\x11\x01\0\0"
        "\x02\x2e\0\x31\x13\x11\x01\x12\x06\0\0"
        "\x03\x16\0\x03\x08\x49\x13\0\0\0",
        26};
    std::string info;
    dwarf::DebugInfoInput input;
    std::uint32_t first = 0, second = 0, alias = 0, other = 0;

    Circle() {
        auto u32 = [&](std::uint32_t number) {
            info.append(reinterpret_cast<const char*>(&number), 4);
        };
        auto function = [&](std::uint32_t origin, std::uint64_t low) {
            info += '\x02';
            u32(origin);
            info.append(reinterpret_cast<const char*>(&low), 8);
            u32(16);
        };
        info = std::string("\0\0\0\0\x04\0\0\0\0\0\x08\x01", 12);
        first = static_cast<std::uint32_t>(info.size());
        second = first + 17;
        function(second, 0x1000);
        function(first, 0x2000);
        alias = static_cast<std::uint32_t>(info.size());
        other = alias + 7;
        info +=
            "\x03"
            "a";
        info += '\0';
        u32(other);
        info +=
            "\x03"
            "b";
        info += '\0';
        u32(alias);
        info += '\0';
        std::uint32_t length = static_cast<std::uint32_t>(info.size() - 4);
        std::memcpy(info.data(), &length, 4);
        input.sections.info = std::as_bytes(std::span(info));
        input.sections.abbrev = std::as_bytes(std::span(abbrev));
    }
};

TEST(Circles, EndWithAnErrorAndWithoutHarm) {
    Circle circle;
    dwarf::DebugInfo info(circle.input);
    ASSERT_EQ(info.units().size(), 1u);
    UnitNames names = NameScanner(info, CodeAreas()).scan(*info.units().front());
    EXPECT_EQ(names.damage, "");
    EXPECT_EQ(names.code.size(), 2u) << "their code is known";
    EXPECT_EQ(names.names.size(), 2u) << "the aliases have names, the functions have none";
    EXPECT_THROW(NameScanner::declaration_of(info, circle.first), FormatError);
    EXPECT_THROW(info.with_origins(*info.entry_at(circle.second)), FormatError);
    TypeTable types(
        info, [](const dwarf::Entry&) { return std::optional<dwarf::Position>(); },
        [](const dwarf::Unit&, std::uint64_t) { return std::string(); },
        [](dwarf::Position) { return std::string(); });
    const Type* alias = types.type_at(circle.alias);
    EXPECT_EQ(alias->kind, TypeKind::alias);
    EXPECT_EQ(plain(*alias).kind, TypeKind::nothing);
    EXPECT_FALSE(type_text(*alias).empty());
    ASSERT_EQ(types.problems().size(), 1u);
    EXPECT_NE(types.problems()[0].find("alias of itself"), std::string::npos);
}

// ---- what the file brings itself

TEST(OwnIndexes, AnAddressTableThatLiesIsNotUsed) {
    TemporaryFolder folder;
    std::string program = fixture("locks-gcc-O0-dwarf5-pie");
    ModuleSymbols sound(program);
    auto main = sound.functions_named("main").at(0)->low();
    EXPECT_EQ(sound.own_indexes().at(0), ".debug_aranges agrees with the units and is used");
    ElfFile elf(program);
    std::string bytes = TemporaryFolder().read(program);
    std::size_t at =
        static_cast<std::size_t>(elf.bytes(".debug_aranges").data() - elf.whole_file().data());
    // The one range moves into the linkage table, where no unit of ours has code.
    std::uint64_t plt = elf.section(".plt")->address.value;
    std::string lying = bytes;
    std::memcpy(lying.data() + at + 16, &plt, 8);
    ModuleSymbols symbols(folder.write("lying", lying));
    EXPECT_EQ(symbols.line_at(main)->line, sound.line_at(main)->line)
        << "the units themselves are asked";
    EXPECT_NE(symbols.own_indexes().at(0).find("not used"), std::string::npos);
    std::string torn = bytes;
    torn[at] = '\xff';
    ModuleSymbols damaged(folder.write("torn", torn));
    EXPECT_EQ(damaged.line_at(main)->line, sound.line_at(main)->line);
}

TEST(OwnIndexes, ANameTableAnswersAndIsHeldAgainstTheEntries) {
    if (!HAVE_CLANG) GTEST_SKIP() << "clang is not here";
    std::string program = fixture("barges-clang5/barges");
    ModuleSymbols symbols(program);
    const Type* narrow = symbols.type_named("canal::Narrow");
    ASSERT_NE(narrow, nullptr);
    EXPECT_FALSE(symbols.index_is_ready()) << "the table was enough";
    EXPECT_EQ(symbols.qualified_name(narrow->entry_offset), "canal::Narrow");
    EXPECT_EQ(symbols.type_named("Narrowboat"), nullptr);
    // Each type of our own index is found in the table.
    dwarf::NameTable table(symbols.debug_info().units().front()->sections());
    unsigned compared = 0;
    for (const NameEntry& entry : symbols.index().names()) {
        if (!is_type(entry.kind) || entry.kind == NameKind::alias ||
            symbols.index().own_name(entry).empty())
            continue;
        bool found = false;
        for (const auto& each : table.find(symbols.index().own_name(entry)))
            found |= each.position == entry.position;
        EXPECT_TRUE(found) << symbols.index().qualified_name(entry);
        ++compared;
    }
    EXPECT_GT(compared, 20u);
    // A table whose entries are moved is not believed.
    TemporaryFolder folder;
    ElfFile elf(program);
    std::string bytes = TemporaryFolder().read(program);
    ByteSpan section = elf.bytes(".debug_names");
    std::size_t at = static_cast<std::size_t>(section.data() - elf.whole_file().data());
    for (std::size_t i = section.size() / 2; i < section.size(); ++i)
        bytes[at + i] = static_cast<char>(bytes[at + i] ^ 3);
    ModuleSymbols lying(folder.write("lying", bytes));
    ASSERT_NE(lying.type_named("canal::Narrow"), nullptr);
    EXPECT_EQ(lying.type_named("canal::Narrow")->size, narrow->size);
}

}  // namespace
}  // namespace lantern
