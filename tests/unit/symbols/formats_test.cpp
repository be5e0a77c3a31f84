// One C++ program in every shape its debug information can take: what is built by one compiler must
// read alike.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "core/symbols/code_query.h"
#include "core/symbols/places.h"
#include "tests/testing/command.h"
#include "tests/testing/names.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

using testing::fixture;

struct Shape {
    const char* name;
    const char* like;  // the plain build it must agree with
    bool possible = true;
};
std::ostream& operator<<(std::ostream& out, const Shape& shape) {
    return out << shape.name;
}

// What is read of a program, as text that does not depend on where the compiler put things.
struct Account {
    std::set<std::string> functions, types, globals, locals, layouts, lines;
};

bool is_ours(const std::string& name) {
    return name.starts_with("canal::") || name == "main";
}

std::string layout_of(const Type& type) {
    std::string text = type.name;
    for (const Member& member : type.members())
        text += fmt::format(" {}@{}:{}", member.name, member.offset, type_text(*member.type));
    for (const Enumerator& one : type.enumerators)
        text += fmt::format(" {}={}", one.name, one.value);
    return text;
}

Account account_of(const ModuleSymbols& symbols) {
    Account account;
    const SymbolIndex& index = symbols.index();
    for (const NameEntry& entry : index.names()) {
        std::string name = index.qualified_name(entry);
        if (!is_ours(name)) continue;
        if (entry.kind == NameKind::function) {
            const Function* function = symbols.function(entry.position);
            account.functions.insert(
                fmt::format("{} {}:{}", function->name,
                            std::filesystem::path(function->declared_in).filename().string(),
                            function->declared_line));
            auto lines = lines_with_code_in(symbols, *function->unit, "barges.cpp", 1, ~0u);
            for (std::uint32_t line : lines) account.lines.insert(std::to_string(line));
            for (const Variable& variable : symbols.body_of(*function).outermost.variables)
                account.locals.insert(fmt::format("{}/{} {} {}", function->name, variable.name,
                                                  type_text(*variable.type),
                                                  variable.locations.size()));
        } else if (is_type(entry.kind)) {
            const Type* type = symbols.types().type_at(entry.position);
            account.types.insert(fmt::format("{} {} {}", name, type->size, type->declared_at));
            account.layouts.insert(layout_of(*type));
        } else if (entry.kind == NameKind::global) {
            account.globals.insert(name + " " + type_text(*symbols.global(entry)->type));
        }
    }
    return account;
}

class Shapes : public ::testing::TestWithParam<Shape> {};

TEST_P(Shapes, ReadAlike) {
    if (!GetParam().possible) GTEST_SKIP() << "the tool that makes this fixture is not here";
    ModuleSymbols symbols(fixture(fmt::format("barges-{}/barges", GetParam().name)));
    ModuleSymbols plain(fixture(fmt::format("barges-{}/barges", GetParam().like)));
    EXPECT_EQ(symbols.problems(), std::vector<std::string>());
    Account ours = account_of(symbols), wanted = account_of(plain);
    ASSERT_GE(wanted.functions.size(), 6u);
    ASSERT_GE(wanted.types.size(), 3u);
    ASSERT_GE(wanted.locals.size(), 8u);
    ASSERT_GE(wanted.lines.size(), 15u);
    EXPECT_EQ(ours.functions, wanted.functions);
    EXPECT_EQ(ours.types, wanted.types);
    EXPECT_EQ(ours.layouts, wanted.layouts);
    EXPECT_EQ(ours.globals, wanted.globals);
    EXPECT_EQ(ours.locals, wanted.locals);
    EXPECT_EQ(ours.lines, wanted.lines);
}

// The linker's table is the witness: every function it lists in our unit is one of ours, at that
// address, with that size.
TEST_P(Shapes, FunctionsAreWhereTheLinkerSaysTheyAre) {
    if (!GetParam().possible) GTEST_SKIP() << "the tool that makes this fixture is not here";
    std::string program = fixture(fmt::format("barges-{}/barges", GetParam().name));
    ModuleSymbols symbols(program);
    unsigned seen = 0;
    for (const auto& [name, address] : testing::witness_symbols(program)) {
        if (name != "main" && name.find("5canal") == std::string::npos) continue;
        const Section* section = symbols.elf().section_at(FileAddress(address));
        if (!section || !section->is_code()) continue;
        ++seen;
        const Function* function = symbols.function_at(FileAddress(address));
        ASSERT_NE(function, nullptr) << name;
        EXPECT_EQ(function->low().value, address) << name;
        EXPECT_TRUE(function->linkage_name == name || function->name == name ||
                    function->linkage_name.empty() || name.find("D1Ev") != std::string::npos ||
                    name.find("D2Ev") != std::string::npos)
            << name << " is " << function->linkage_name;
    }
    bool is_stripped = symbols.elf().section(".symtab") == nullptr;
    EXPECT_TRUE(is_stripped || seen >= 6) << seen;
}

constexpr Shape kShapes[] = {{"gcc4", "gcc5"},
                             {"types4", "gcc5"},
                             {"types5", "gcc5"},
                             {"wide4", "gcc5"},
                             {"wide5", "gcc5"},
                             {"split4", "split5"},
                             {"splittypes4", "split5"},
                             {"splittypes5", "split5"},
                             {"zlib", "gcc5"},
                             {"zdebug", "gcc5"},
                             {"zstd", "gcc5"},
                             {"lto", "gcc5"},
                             {"dwz", "gcc5", HAVE_DWZ},
                             {"shared", "gcc5", HAVE_DWZ},
                             {"packagesplit", "split4", HAVE_DWP},
                             {"packagesplittypes", "split4", HAVE_DWP},
                             {"linked", "gcc5"},
                             {"clang4", "clang5", HAVE_CLANG},
                             {"clangsplit4", "clang5", HAVE_CLANG},
                             {"clangsplit5", "clang5", HAVE_CLANG},
                             {"clangtypes4", "clang5", HAVE_CLANG},
                             {"clangtypes5", "clang5", HAVE_CLANG},
                             {"gc4", "clang5", HAVE_CLANG&& HAVE_LLD},
                             {"gc5", "clang5", HAVE_CLANG&& HAVE_LLD}};
INSTANTIATE_TEST_SUITE_P(Builds, Shapes, ::testing::ValuesIn(kShapes),
                         [](const auto& info) { return std::string(info.param.name); });

// Split and plain builds of gcc differ in one thing only: the split ones also describe constants
// that are members.
TEST(Formats, SplitBuildsLackNothing) {
    ModuleSymbols split(fixture("barges-split5/barges")), plain(fixture("barges-gcc5/barges"));
    Account a = account_of(split), b = account_of(plain);
    EXPECT_EQ(a.functions, b.functions);
    EXPECT_EQ(a.types, b.types);
    EXPECT_EQ(a.locals, b.locals);
    EXPECT_TRUE(
        std::includes(a.globals.begin(), a.globals.end(), b.globals.begin(), b.globals.end()));
    EXPECT_EQ(split.debug_info().split_files(), 1u);
}

TEST(Formats, APackageIsUsedInsteadOfSplitFiles) {
    if (!HAVE_DWP) GTEST_SKIP() << "dwp is not here";
    ModuleSymbols symbols(fixture("barges-packagesplit/barges"));
    EXPECT_NE(symbols.functions_named("canal::pass").size(), 0u);
    EXPECT_NE(symbols.files().package().find("barges.dwp"), std::string::npos);
}

TEST(Formats, AMissingSplitFileIsSaidAndLinesStay) {
    testing::TemporaryFolder folder;
    std::string program = folder.write(
        "barges", testing::TemporaryFolder().read(fixture("barges-clangsplit5/barges")));
    if (!HAVE_CLANG) GTEST_SKIP();
    // The skeleton names its folder: the copy finds the file there, unless it is another build's.
    ModuleSymbols found(program);
    EXPECT_EQ(found.debug_info().missing_split_files(), 0u);
    std::string broken = testing::TemporaryFolder().read(fixture("barges-clangsplit5/barges"));
    std::size_t at = broken.find("barges.dwo");
    ASSERT_NE(at, std::string::npos);
    broken.replace(at, 6, "wherry");
    ModuleSymbols missing(folder.write("broken", broken));
    EXPECT_EQ(missing.debug_info().missing_split_files(), 1u);
    ASSERT_FALSE(missing.problems().empty());
    EXPECT_NE(missing.problems().front().find("wherry.dwo is missing"), std::string::npos)
        << missing.problems().front();
    auto symbols = testing::witness_symbols(program);
    auto line = missing.line_at(FileAddress(symbols.at("main")));
    ASSERT_TRUE(line);
    EXPECT_GT(line->line, 30u);
    // --symbols names where it is.
    std::filesystem::copy_file(fixture("barges-clangsplit5/barges.dwo"),
                               folder.path() / "wherry.dwo");
    SymbolSearch search;
    search.folders.push_back(folder.path());
    EXPECT_EQ(ModuleSymbols(folder.path() / "broken", search).debug_info().missing_split_files(),
              0u);
}

TEST(Formats, ASplitFileOfAnotherBuildIsRefused) {
    if (!HAVE_CLANG) GTEST_SKIP();
    testing::TemporaryFolder folder;
    std::string broken = testing::TemporaryFolder().read(fixture("barges-clangsplit5/barges"));
    broken.replace(broken.find("barges.dwo"), 6, "wherry");
    std::string program = folder.write("broken", broken);
    std::filesystem::copy_file(fixture("barges-clangsplit4/barges.dwo"),
                               folder.path() / "wherry.dwo");
    ModuleSymbols symbols(program);
    EXPECT_EQ(symbols.debug_info().missing_split_files(), 1u);
    EXPECT_NE(symbols.problems().front().find("another build"), std::string::npos)
        << symbols.problems().front();
}

TEST(Formats, CodeThatTheLinkerThrewAwayIsNoCode) {
    for (const char* name : {"barges-gcO2/barges", "barges-gc4/barges", "barges-gc5/barges"}) {
        if (!std::filesystem::exists(fixture(name))) continue;
        ModuleSymbols symbols(fixture(name));
        for (const CodeRange& range : symbols.index().tables().code) {
            const Section* section = symbols.elf().section_at(range.low);
            ASSERT_TRUE(section && section->is_code()) << name;
        }
        for (const auto& unit : symbols.debug_info().units())
            for (const LineEntry& entry : symbols.lines_of(*unit).entries())
                ASSERT_NE(symbols.elf().section_at(entry.range.low), nullptr) << name;
    }
}

// Optimised builds: the chain of inlined calls and their lines, against the toolchain's own answer.
class InlinedChains : public ::testing::TestWithParam<const char*> {};

TEST_P(InlinedChains, ChainsAgreeWithAddr2line) {
    std::string program = fixture(GetParam());
    if (!std::filesystem::exists(program)) GTEST_SKIP() << "not built here";
    ModuleSymbols symbols(program);
    std::vector<std::uint64_t> addresses;
    std::vector<std::string> words{"addr2line", "-a", "-i", "-f", "-e", program};
    std::uint64_t last = 0;
    for (const CodeRange& range : symbols.index().tables().code)
        for (std::uint64_t at = range.low.value; at < range.low.value + range.size; at += 5) {
            if (addresses.size() > 1500 || at == last) continue;
            addresses.push_back(last = at);
            words.push_back(fmt::format("{:#x}", at));
        }
    auto lines = testing::lines_of(testing::run(words).output);
    std::size_t next = 0, inlined = 0, differing = 0;
    for (std::uint64_t address : addresses) {
        ASSERT_TRUE(lines.at(next).starts_with("0x"));
        std::vector<std::uint32_t> theirs, ours;
        for (++next; next < lines.size() && !lines[next].starts_with("0x"); next += 2) {
            std::string text = lines[next + 1].substr(lines[next + 1].rfind(':') + 1);
            theirs.push_back(std::isdigit(static_cast<unsigned char>(text[0]))
                                 ? static_cast<std::uint32_t>(std::stoul(text))
                                 : 0);
        }
        for (const CodeFrame& frame : frames_at(symbols, FileAddress(address)))
            ours.push_back(frame.line);
        inlined += ours.size() > 1;
        if (ours == theirs) continue;
        ++differing;
        EXPECT_LE(differing, addresses.size() / 200)
            << fmt::format("{:#x}", address) << ": " << ::testing::PrintToString(ours) << " beside "
            << ::testing::PrintToString(theirs);
    }
    EXPECT_GT(inlined, 5u);
}
INSTANTIATE_TEST_SUITE_P(Builds, InlinedChains,
                         ::testing::Values("barges-gccO24/barges", "barges-gccO25/barges",
                                           "locks-gcc-O2-dwarf5-pie", "locks-clang-O2-dwarf4-nopie",
                                           "barges-rust"));

}  // namespace
}  // namespace lantern
