// Tables of handlers: made by hand, damaged, and of a program, held against where the unwinder of
// the C++ runtime really goes.
#include "core/dwarf/handler_table.h"

#include <gtest/gtest.h>

#include "core/code/flow_graph.h"
#include "core/support/error.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

std::vector<std::byte> table_of(std::initializer_list<int> numbers) {
    std::vector<std::byte> bytes;
    for (int number : numbers) bytes.push_back(static_cast<std::byte>(number));
    return bytes;
}
const FileAddress kTable(0x2000), kCode(0x1100);

TEST(HandlerTable, GivesTheCallsThatLeadSomewhere) {
    // Landings from the code's begin, no types, numbers of any length; three entries.
    auto bytes = table_of({0xff, 0xff, 0x01, 14, 0x10, 5, 0x80, 0x01, 0,  //
                           0x20, 9, 0, 0, 0x40, 4, 0x90, 0x01, 3});
    auto found = dwarf::read_handler_table(bytes, kTable, kCode);
    ASSERT_EQ(found.size(), 2u);
    EXPECT_EQ(found[0].calls.low, FileAddress(0x1110));
    EXPECT_EQ(found[0].calls.high, FileAddress(0x1115));
    EXPECT_EQ(found[0].landing, FileAddress(0x1180));
    EXPECT_EQ(found[1].calls.low, FileAddress(0x1140));
    EXPECT_EQ(found[1].landing, FileAddress(0x1190));
}

TEST(HandlerTable, WhereLandingsCountFromMayBeSaid) {
    // A pointer from here, four bytes: 0x2001 + 0x0ff = 0x2100. Entries of four bytes.
    auto bytes = table_of({0x1b, 0xff, 0, 0, 0, 0xff, 0x03, 13,  //
                           8,    0,    0, 0, 4, 0,    0,    0,  0x30, 0, 0, 0, 0});
    auto found = dwarf::read_handler_table(bytes, kTable, kCode);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].calls.low, FileAddress(0x1108));
    EXPECT_EQ(found[0].landing, FileAddress(0x2130));
}

TEST(HandlerTable, DamagedIsRefused) {
    auto bytes = table_of({0xff, 0xff, 0x01, 14, 0x10, 5, 0x80, 0x01, 0,  //
                           0x20, 9, 0, 0, 0x40, 4, 0x90, 0x01, 3});
    for (std::size_t length = 0; length < bytes.size(); ++length)
        EXPECT_THROW(dwarf::read_handler_table(std::span(bytes).first(length), kTable, kCode),
                     FormatError)
            << length;
    bytes[2] = std::byte{0x07};
    EXPECT_THROW(dwarf::read_handler_table(bytes, kTable, kCode), FormatError);
}

class LandingsOf : public ::testing::TestWithParam<const char*> {};

// The handler asks the runtime for the exception first: __cxa_begin_catch is called in it, and is
// called nowhere else.
TEST_P(LandingsOf, TheCallThatThrowsLeadsToTheHandlerAndOthersDoNot) {
    if (!HAVE_CLANG && std::string(GetParam()) == "clang") GTEST_SKIP() << "clang is not here";
    std::string program = testing::fixture(std::string("ways-") + GetParam());
    ModuleSymbols symbols(program);
    auto functions = symbols.functions_named("or_caught");
    ASSERT_EQ(functions.size(), 1u);
    FlowGraph flow(symbols, *functions[0]);
    EXPECT_TRUE(flow.knows_landings());
    auto dump = testing::lines_of(
        testing::run({"objdump", "-d", "-C", "--no-show-raw-insn", program}).output);
    std::map<std::uint64_t, std::string> called;
    for (const std::string& line : dump)
        if (auto call = line.find("\tcall "); call != std::string::npos)
            called[std::stoull(line, nullptr, 16)] = line.substr(call + 6);
    unsigned throwing = 0, quiet = 0;
    for (const FlowGraph::Node& node : flow.nodes()) {
        if (node.kind != Instruction::Kind::call) continue;
        std::string callee = called.at(node.address.value);
        if (callee.find("weigh(int)") == std::string::npos) {
            quiet += node.landing == FlowGraph::kNone;
            continue;
        }
        ++throwing;
        ASSERT_NE(node.landing, FlowGraph::kNone);
        bool reaches = false;
        std::vector<bool> seen(flow.nodes().size());
        std::vector<std::uint32_t> work{node.landing};
        while (!work.empty()) {
            std::uint32_t at = work.back();
            work.pop_back();
            if (at == FlowGraph::kNone || seen[at]) continue;
            seen[at] = true;
            auto to = called.find(flow.nodes()[at].address.value);
            reaches |= to != called.end() && to->second.find("begin_catch") != std::string::npos;
            work.push_back(flow.nodes()[at].next);
            work.push_back(flow.nodes()[at].branch);
        }
        EXPECT_TRUE(reaches);
    }
    EXPECT_EQ(throwing, 1u);
    EXPECT_GE(quiet, 2u) << "the calls behind the handler lead nowhere";
}

INSTANTIATE_TEST_SUITE_P(Compilers, LandingsOf, ::testing::Values("gcc", "clang"));

}  // namespace
}  // namespace lantern
