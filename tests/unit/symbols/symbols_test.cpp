#include <gtest/gtest.h>

#include "core/code/sites.h"
#include "core/symbols/module_symbols.h"
#include "core/symbols/source_files.h"
#include "tests/testing/command.h"
#include "tests/testing/names.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

using testing::fixture;

const ModuleSymbols& locks() {
    static const ModuleSymbols symbols(fixture("locks-gcc-O0-dwarf5-pie"));
    return symbols;
}

TEST(Symbols, LinesOfAddressesAgreeWithAddr2line) {
    for (const char* name :
         {"locks-gcc-O0-dwarf5-pie", "locks-gcc-O2-dwarf5-nopie", "locks-dwarf3"}) {
        ModuleSymbols symbols(fixture(name));
        std::vector<std::string> words{"addr2line", "-e", fixture(name)};
        std::vector<std::optional<SourceLine>> ours;
        for (const Function& function : testing::functions_in(symbols)) {
            for (const FileRange& range : function.ranges) {
                for (std::uint64_t at = range.low.value; at < range.high.value; at += 7) {
                    words.push_back(std::to_string(at));
                    words.back() = "0x" + [&] {
                        char text[32];
                        snprintf(text, sizeof text, "%lx", at);
                        return std::string(text);
                    }();
                    ours.push_back(symbols.line_at(FileAddress(at)));
                }
            }
        }
        auto lines = testing::lines_of(testing::run(words).output);
        ASSERT_EQ(lines.size(), ours.size());
        for (std::size_t i = 0; i < lines.size(); ++i) {
            std::string text =
                lines[i].substr(lines[i].rfind(':') + 1);  // "60 (discriminator 2)" or "?"
            std::uint32_t witness =
                text[0] == '?' ? 0 : static_cast<std::uint32_t>(std::stoul(text));
            EXPECT_EQ(ours[i] ? ours[i]->line : 0, witness) << words[i + 3] << " in " << name;
        }
    }
}

TEST(Symbols, TypesHaveTheirSizesAndOffsets) {
    auto facts = testing::printed_facts(testing::run({fixture("locks-gcc-O0-dwarf5-pie")}).output);
    const Type* chamber = locks().type_named("struct chamber");
    ASSERT_NE(chamber, nullptr);
    EXPECT_EQ(std::to_string(chamber->size), facts["sizeof_chamber"]);
    const auto& members = chamber->members();
    ASSERT_EQ(members.size(), 7u);
    EXPECT_EQ(members[6].name, "next");
    EXPECT_EQ(std::to_string(members[6].offset), facts["offset_next"]);
    EXPECT_EQ(type_text(*members[5].type), "int (*)(int)");
    EXPECT_EQ(type_text(*members[0].type), "char [12]");
    EXPECT_EQ(type_text(*members[6].type), "struct chamber *");
    EXPECT_EQ(type_text(*members[1].type), "centimetres");
    EXPECT_EQ(plain(*members[1].type).size, 2u);
    EXPECT_EQ(&plain(target_of(*members[6].type)), chamber)
        << "a type that refers to itself is one type";
    const Type* gate = locks().type_named("struct gate");
    ASSERT_EQ(gate->members().size(), 4u);
    EXPECT_EQ(gate->members()[1].bit_size, 7u);
    EXPECT_EQ(gate->members()[2].bit_offset, 8u);
    const Type* state = locks().type_named("enum state");
    EXPECT_EQ(state->enumerators.at(2).value, 6);
    EXPECT_EQ(locks().type_named("struct nothing"), nullptr);
}

TEST(Symbols, OldBitFieldsComeOutTheSame) {
    ModuleSymbols old(fixture("locks-dwarf2"));
    const Type* gate = old.type_named("struct gate");
    ASSERT_NE(gate, nullptr);
    EXPECT_EQ(gate->members().at(0).bit_offset, 0u);
    EXPECT_EQ(gate->members().at(1).bit_offset, 1u);
    EXPECT_EQ(gate->members().at(2).bit_offset, 8u);
    EXPECT_EQ(gate->members().at(2).bit_size, 12u);
}

TEST(Symbols, ScopesNestAndShadow) {
    const Function* function = locks().functions_named("shadowed").front();
    const FunctionBody& body = locks().body_of(*function);
    ASSERT_EQ(body.outermost.variables.size(), 2u);
    EXPECT_TRUE(body.outermost.variables[0].is_parameter);
    ASSERT_EQ(body.outermost.inner.size(), 1u);
    const Scope& loop = *body.outermost.inner[0];
    EXPECT_EQ(loop.variables.at(0).name, "i");
    ASSERT_EQ(loop.inner.size(), 1u);
    EXPECT_EQ(loop.inner[0]->variables.at(0).name, "level");
    auto chains = chains_at(body, loop.inner[0]->ranges.front().low);
    ASSERT_EQ(chains.size(), 1u);
    EXPECT_EQ(chains[0].scopes.size(), 3u);
    EXPECT_EQ(chains[0].scopes[0], loop.inner[0].get()) << "innermost first";
}

TEST(Places, MatchPathsByWholeComponents) {
    EXPECT_TRUE(path_matches("/canal/flight/lock.c", "lock.c"));
    EXPECT_TRUE(path_matches("/canal/flight/lock.c", "flight/lock.c"));
    EXPECT_TRUE(path_matches("/canal/flight/lock.c", "./lock.c"));
    EXPECT_TRUE(path_matches("/canal/flight/lock.c", "/canal/flight/lock.c"));
    EXPECT_FALSE(path_matches("/canal/flight/lock.c", "ock.c"));
    EXPECT_FALSE(path_matches("/canal/flight/lock.c", "/lock.cpp"));
}

TEST(Places, AFunctionIsStoppedAtAfterItsPrologue) {
    const Function* function = locks().functions_named("factorial").front();
    FileAddress body = body_start(locks(), *function).address;
    EXPECT_GT(body, function->low());
    EXPECT_EQ(locks().line_at(body)->line, locks().line_at(function->low())->line + 1)
        << "the first line of the body";
}

TEST(Places, ALineWithoutCodeOffersItsNeighbours) {
    LineSites found = find_line(locks(), "locks.c", 5);
    EXPECT_TRUE(found.sites.empty());
    ASSERT_FALSE(found.lines_with_code.empty());
    EXPECT_GT(found.lines_with_code.back(), 5u);
    for (std::uint32_t line : found.lines_with_code)
        EXPECT_FALSE(find_line(locks(), "locks.c", line).sites.empty());
    EXPECT_TRUE(find_line(locks(), "nothere.c", 5).files.empty());
}

TEST(Places, AnInlinedFunctionHasItsCopies) {
    ModuleSymbols optimised(fixture("locks-gcc-O2-dwarf5-pie"));
    std::size_t sites = 0;
    for (const Function* function : optimised.functions_named("mean"))
        for (const CodeSite& site : sites_of(optimised, *function)) {
            ++sites;
            EXPECT_EQ(site.function, "mean");
        }
    EXPECT_GE(sites, 1u);
}

TEST(SourceFiles, FollowMappingsAndReadOnce) {
    testing::TemporaryFolder folder;
    folder.write("gate.c", "one\r\ntwo\n");
    SourceFiles sources({{"/build/machine/src", folder.path().string()}});
    EXPECT_EQ(sources.line("/build/machine/src/gate.c", 1), "one");
    EXPECT_EQ(sources.line("/build/machine/src/gate.c", 2), "two");
    EXPECT_FALSE(sources.line("/build/machine/src/gate.c", 3));
    EXPECT_FALSE(sources.line("/build/machine/src/gate.c", 0));
    EXPECT_EQ(sources.find("/elsewhere/gate.c"), nullptr);
    EXPECT_EQ(sources.find("/build/machine/src/gate.c"), sources.find("/build/machine/src/gate.c"));
}

}  // namespace
}  // namespace lantern
