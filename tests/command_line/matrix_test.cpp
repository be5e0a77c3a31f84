// Launch, stop, step and look on every combination of compiler, optimisation, DWARF version and
// position, through the built program; the facts are those that the fixture prints about itself.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "tests/testing/command.h"
#include "tests/testing/witness.h"

namespace lantern::testing {
namespace {

class Matrix : public ::testing::TestWithParam<
                   std::tuple<std::string, std::string, std::string, std::string>> {
  public:
    std::string program() const {
        auto [compiler, optimisation, version, position] = GetParam();
        return fixture(
            fmt::format("locks-{}-{}-dwarf{}-{}", compiler, optimisation, version, position));
    }
    bool is_optimised() const { return std::get<1>(GetParam()) == "O2"; }
    void SetUp() override {
        if (std::get<0>(GetParam()) == "clang" && !HAVE_CLANG) GTEST_SKIP() << "clang is not here";
    }
};

TEST_P(Matrix, LaunchStopStepLook) {
    TemporaryFolder folder;
    Ran plain = run({program()});
    auto facts = printed_facts(plain.output);
    std::string output = (folder.path() / "output").string();
    Ran ran = debug(
        program(),
        {"pause at main", "launch", "stack", "locals", "value global_count", "value tolls",
         "value lower.next == 0", "value &lower", "over", "over", "into", "source", "continue"},
        {"--stdout", output});
    EXPECT_EQ(ran.status, 0) << ran.output << ran.errors;
    EXPECT_TRUE(ran.says("breakpoint 1 ─ main")) << ran.output;
    EXPECT_TRUE(ran.says("global_count = " + facts["global_count"])) << ran.output;
    EXPECT_TRUE(ran.says("{1.5, 2.25, -4.0}")) << ran.output;
    EXPECT_TRUE(ran.says("exit status 3")) << ran.output;
    // The program does the same as without us, but for where it lies in memory.
    auto under_us = printed_facts(folder.read("output"));
    for (const char* fact :
         {"big", "small", "average", "result", "keeper", "wide", "ratio", "text", "wear"})
        EXPECT_EQ(under_us[fact], facts[fact]) << fact;
    EXPECT_TRUE(ran.says("&lower = " + under_us["address_lower"]))
        << under_us["address_lower"] << ran.output;
    if (std::get<3>(GetParam()) == "nopie") {
        char text[32];
        snprintf(text, sizeof text, "0x%lx",
                 static_cast<unsigned long>(witness_symbols(program())["main"]));
        EXPECT_EQ(under_us["address_main"], text);
    }
}

TEST_P(Matrix, LocalsAtTheEndOfMainAreWhatItPrints) {
    auto facts = printed_facts(run({program()}).output);
    Ran ran = debug(
        program(),
        {"reach locks.c:95", "locals", "value big", "value small", "value average", "value result",
         "value byte", "value minus", "value wide", "value grid[1][2]", "value ready"},
        {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    std::vector<std::pair<std::string, std::string>> wanted = {
        {"big", facts["big"]},   {"small", facts["small"]},     {"result", facts["result"]},
        {"wide", facts["wide"]}, {"grid[1][2]", facts["grid"]}, {"minus", facts["minus"]}};
    for (const auto& [name, value] : wanted) {
        bool shown = ran.says(name + " = " + value + " ");
        bool excused = is_optimised() && ran.says(name + ": no value: ");
        EXPECT_TRUE(shown || excused) << name << " = " << value << "\n" << ran.output;
        EXPECT_TRUE(is_optimised() || !ran.says(name + ": no value"));
    }
}

INSTANTIATE_TEST_SUITE_P(
    Builds, Matrix,
    ::testing::Combine(::testing::Values("gcc", "clang"), ::testing::Values("O0", "O2"),
                       ::testing::Values("4", "5"), ::testing::Values("pie", "nopie")),
    [](const auto& info) {
        return fmt::format("{}_{}_dwarf{}_{}", std::get<0>(info.param), std::get<1>(info.param),
                           std::get<2>(info.param), std::get<3>(info.param));
    });

TEST(OtherBuilds, StaticOldAndCompressedOnesWorkTheSame) {
    for (const char* name : {"locks-static", "locks-dwarf2", "locks-dwarf3", "locks-compressed"}) {
        Ran ran = debug(fixture(name),
                        {"pause at factorial when n == 3", "launch", "stack", "value n", "out",
                         "value lower.gates[0].angle"},
                        {"--stdout", "/dev/null"});
        EXPECT_EQ(ran.status, 0) << name << ran.output;
        EXPECT_TRUE(ran.says("n = 3")) << name << ran.output;
        EXPECT_TRUE(ran.says("returned  6 from factorial")) << name << ran.output;
        EXPECT_TRUE(ran.says("angle = 45")) << name << ran.output;
    }
}

TEST(OtherBuilds, WithoutDebugInformationItStillStopsAndWalks) {
    Ran ran = debug(fixture("locks-nosymbols"),
                    {"pause at factorial", "launch", "stack", "over insn", "value %rdi",
                     "find functions fact", "out", "drop 1", "continue"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("has no debug information"));
    EXPECT_TRUE(ran.says("Compile it with -g"));
    EXPECT_TRUE(ran.says("0  factorial"));
    EXPECT_TRUE(ran.says("1  main"));
    EXPECT_TRUE(ran.says("%rdi = 10"));
    EXPECT_TRUE(ran.says("exit status 3"));
    Ran stripped =
        debug(fixture("locks-stripped"), {"pause at main", "launch"}, {"--stdout", "/dev/null"});
    EXPECT_EQ(stripped.status, 1);
    EXPECT_TRUE(stripped.says("its symbols were stripped")) << stripped.output;
}

}  // namespace
}  // namespace lantern::testing
