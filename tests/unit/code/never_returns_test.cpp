// Which functions never come back, as their source says it, and which calls nothing follows: what
// stands behind those is code that a plain run of the program comes to in another way.
#include "core/code/never_returns.h"

#include <gtest/gtest.h>

#include "core/code/kept_code.h"
#include "core/object/imports.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

class NeverReturns : public ::testing::TestWithParam<const char*> {
  protected:
    std::string program() const { return testing::fixture(std::string("adrift-") + GetParam()); }
};

std::set<std::string> those_that_never_return(const ModuleSymbols& symbols,
                                              std::initializer_list<const char*> names) {
    std::set<std::string> found;
    for (const char* name : names)
        for (const Function* function : symbols.functions_named(name))
            if (function->has_code() && never_returns(symbols, function->low())) found.insert(name);
    return found;
}

TEST_P(NeverReturns, AreThoseWhoseWaysAllEndInOne) {
    ModuleSymbols symbols(program());
    EXPECT_EQ(those_that_never_return(
                  symbols, {"cast_adrift", "drift", "wait_for_ever", "swim_ashore", "tell", "err",
                            "warn_of", "turn", "turn_back", "depth_at", "find_berth", "main"}),
              (std::set<std::string>{"cast_adrift", "drift", "wait_for_ever", "swim_ashore"}));
}

// give_in may come back, by its code; no call of it here is followed by code that it would come
// back to, as its macro says. Of those that do come back some calls are.
TEST_P(NeverReturns, IsWhatAllUsesOfAFunctionSay) {
    ModuleSymbols symbols(program());
    const Function* user = symbols.functions_named("haul").at(0);
    std::set<std::string> found;
    for (const char* name : {"give_in", "tell", "warn_of", "depth_at", "find_berth", "complain"}) {
        const Function* function = symbols.functions_named(name).at(0);
        EXPECT_FALSE(never_returns(symbols, function->low())) << name;
        if (seems_never_to_return(symbols, *user, function->low())) found.insert(name);
    }
    EXPECT_EQ(found, std::set<std::string>{"give_in"});
}

// Where objdump lists a call of cast_adrift or abort, and what stands behind it.
TEST_P(NeverReturns, CallsOfThemLeadNowhere) {
    ModuleSymbols symbols(program());
    std::string caller;
    int ended = 0, going_on = 0;
    std::regex head("^([0-9a-f]+) <(.+)>:$"), call("^ +([0-9a-f]+):\\s+call\\s+[0-9a-f]+ <(.+)>");
    for (const std::string& line : testing::lines_of(
             testing::run({"objdump", "-d", "--no-show-raw-insn", program()}).output)) {
        std::smatch match;
        if (std::regex_search(line, match, head)) caller = match[2];
        if (!std::regex_search(line, match, call)) continue;
        std::set<std::string> ours{"find_berth", "cast_adrift", "drift", "warn_of", "main", "haul"};
        if (!ours.count(caller)) continue;
        FileAddress address(std::stoull(match[1], nullptr, 16));
        const Function* function = symbols.function_at(address);
        ASSERT_TRUE(function);
        const FlowGraph& flow = kept_code(symbols, *function).flow();
        const FlowGraph::Node& node = flow.nodes()[flow.at(address)];
        std::string callee = match[2];
        bool ends = callee == "cast_adrift" || callee == "give_in" || callee == "abort@plt" ||
                    callee == "exit@plt" || callee.starts_with("abandon");
        EXPECT_EQ(node.next == FlowGraph::kNone, ends) << line;
        ++(ends ? ended : going_on);
    }
    EXPECT_GE(ended, 4) << GetParam();
    EXPECT_GE(going_on, 6);
}

INSTANTIATE_TEST_SUITE_P(Builds, NeverReturns, ::testing::Values("gcc-O1", "gcc-O2", "gcc-O3"),
                         [](const auto& info) {
                             std::string name = info.param;
                             std::ranges::replace(name, '-', '_');
                             return name;
                         });
#if HAVE_CLANG
INSTANTIATE_TEST_SUITE_P(OfClang, NeverReturns,
                         ::testing::Values("clang-O1", "clang-O2", "clang-O3"),
                         [](const auto& info) {
                             std::string name = info.param;
                             std::ranges::replace(name, '-', '_');
                             return name;
                         });
#endif

TEST(Imports, AreWhatReadelfLists) {
    std::string program = testing::fixture("adrift-gcc-O2");
    ModuleSymbols symbols(program);
    int seen = 0;
    std::regex row("^([0-9a-f]{12,16}) +[0-9a-f]+ R_X86_64_\\w+ +[0-9a-f]+ ([A-Za-z_]\\w*)");
    for (const std::string& line :
         testing::lines_of(testing::run({"readelf", "--wide", "--relocs", program}).output)) {
        std::smatch match;
        if (!std::regex_search(line, match, row)) continue;
        FileAddress slot(std::stoull(match[1], nullptr, 16));
        EXPECT_EQ(symbols.imports().name_of_slot(slot), match[2].str());
        EXPECT_EQ(symbols.imports().name_of_slot(slot + 1), "");
        ++seen;
    }
    EXPECT_GT(seen, 8);
}

}  // namespace
}  // namespace lantern
