// Damaged debug information: a unit may be lost, the session may not. Every byte of the small
// fixture's sections is changed in turn (in steps), and everything is read.
#include <gtest/gtest.h>

#include <random>

#include "core/code/sites.h"
#include "core/support/error.h"
#include "core/symbols/module_symbols.h"
#include "tests/testing/command.h"
#include "tests/testing/names.h"

namespace lantern {
namespace {

using testing::fixture;
using testing::TemporaryFolder;

void read_everything(const ModuleSymbols& symbols) {
    symbols.problems();
    for (const Function& function : testing::functions_in(symbols)) {
        symbols.body_of(function);
        if (function.has_code()) {
            symbols.line_at(function.low());
            body_start(symbols, function);
            try {
                symbols.frame_description(function.low());
            } catch (const Error&) {
            }
        }
    }
    for (const NameEntry& global : testing::globals_in(symbols)) {
        try {
            if (auto variable = symbols.global(global)) type_text(*variable->type);
        } catch (const Error&) {
        }
    }
    try {
        find_line(symbols, "locks.c", 60);
    } catch (const Error&) {
    }
}

std::size_t damage(const std::string& name, unsigned rounds) {
    TemporaryFolder folder;
    std::string program = TemporaryFolder().read(fixture(name));
    ElfFile sound(fixture(name));
    std::mt19937 random(20261123);
    std::size_t survived = 0;
    for (unsigned round = 0; round < rounds; ++round) {
        std::string changed = program;
        for (const char* section_name :
             {".debug_info", ".debug_abbrev", ".debug_line", ".debug_loclists", ".debug_rnglists",
              ".eh_frame", ".debug_loc", ".debug_ranges"}) {
            ByteSpan bytes = sound.bytes(section_name);
            if (bytes.empty()) continue;
            // Where the section lies in the file: its first bytes are unique enough to be found by
            // address arithmetic.
            ByteSpan first = sound.loaded_bytes(sound.segments().front().range.low, 1);
            std::size_t offset = static_cast<std::size_t>(bytes.data() - first.data());
            for (int i = 0; i < 3; ++i)
                changed[offset + random() % bytes.size()] = static_cast<char>(random());
        }
        ModuleSymbols symbols(folder.write("damaged", changed));
        read_everything(symbols);
        survived += !testing::functions_in(symbols).empty();
    }
    return survived;
}

TEST(Damaged, RandomBytesInEverySectionNeverEndTheProgram) {
    EXPECT_GT(damage("locks-gcc-O2-dwarf5-pie", 150), 0u)
        << "some damage leaves functions readable";
    EXPECT_GT(damage("locks-gcc-O2-dwarf4-nopie", 150), 0u);
}

TEST(Damaged, AUnitThatCannotBeReadIsNamedAndTheRestStays) {
    TemporaryFolder folder;
    std::string source = "int one(void){return 1;}\n",
                other =
                    "int two(void){return 2;} int one(void); int main(void){return one()+two();}\n";
    auto a = folder.write("a.c", source), b = folder.write("b.c", other);
    std::string program = (folder.path() / "two").string();
    ASSERT_EQ(testing::run({"gcc", "-g", "-o", program, a.string(), b.string()}).status, 0);
    std::string bytes = folder.read("two");
    ElfFile sound(program);
    std::size_t offset = static_cast<std::size_t>(sound.bytes(".debug_info").data() -
                                                  sound.loaded_bytes(FileAddress(0), 1).data());
    bytes[offset + 4] = 99;  // the version of the first unit
    ModuleSymbols symbols(folder.write("damaged", bytes));
    ASSERT_EQ(symbols.problems().size(), 1u);
    EXPECT_NE(symbols.problems()[0].find(".debug_info at offset 0x6: DWARF version 99"),
              std::string::npos)
        << symbols.problems()[0];
    EXPECT_TRUE(symbols.functions_named("one").empty());
    EXPECT_EQ(symbols.functions_named("two").size(), 1u);
}

}  // namespace
}  // namespace lantern
