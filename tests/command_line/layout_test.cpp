// Every view in windows of several widths: no line is wider than the window, so that the terminal
// breaks none of them; and what a line says is not lost by it.
#include <gtest/gtest.h>

#include "core/support/text.h"
#include "tests/testing/terminal.h"

namespace lantern::testing {
namespace {

// A word that is wider than the window alone: a path, or a name of the linker's.
bool is_one_long_word(const std::string& line) {
    std::string_view text = trimmed(line);
    std::size_t space = text.find_last_of(' ');
    return space == std::string_view::npos ||
           display_width(std::string(text.substr(space + 1))) > 50;
}

std::vector<std::string> shown_in(unsigned short width, const std::string& program,
                                  const std::vector<std::string>& commands,
                                  std::vector<std::string> arguments = {}) {
    std::vector<std::string> words{LANTERN_PROGRAM, "debug", program, "--stdout", "/dev/null"};
    for (const std::string& command : commands) words.insert(words.end(), {"--do", "-" + command});
    if (!arguments.empty()) words.push_back("--");
    words.insert(words.end(), arguments.begin(), arguments.end());
    Terminal terminal(words, width);
    EXPECT_EQ(terminal.wait_for_end(), 0);
    std::vector<std::string> lines;
    for (std::string line : lines_of(terminal.rest())) {
        while (line.ends_with('\r')) line.pop_back();
        lines.push_back(std::move(line));
    }
    return lines;
}

class Windows : public ::testing::TestWithParam<unsigned short> {
  public:
    void expect_to_fit(const std::string& program, const std::vector<std::string>& commands,
                       std::vector<std::string> arguments = {}) {
        auto lines = shown_in(GetParam(), program, commands, std::move(arguments));
        ASSERT_GT(lines.size(), commands.size());
        for (const std::string& line : lines) {
            bool is_command = line.find(" › ") != std::string::npos;  // as it was typed
            if (is_command || is_one_long_word(line)) continue;
            EXPECT_LE(display_width(line), GetParam()) << line;
        }
    }
};

TEST_P(Windows, HoldAProgramInC) {
    expect_to_fit(fixture("locks-gcc-O0-dwarf5-pie"),
                  {"help",
                   "help pause",
                   "help over",
                   "source main",
                   "pause at fill when rate > 1 && rate < 100 && rate != 50 && rate != 51",
                   "note at mean count",
                   "breakpoints",
                   "launch",
                   "locals",
                   "stack",
                   "stack all",
                   "caller",
                   "locals",
                   "pin rate",
                   "pin locals",
                   "over",
                   "over",
                   "globals",
                   "value lower",
                   "value upper.next",
                   "explain rate",
                   "type struct chamber",
                   "find functions",
                   "find types",
                   "find code fill",
                   "find address main",
                   "registers",
                   "registers all",
                   "disassembly",
                   "disassembly fill by source",
                   "disassembly fill counts",
                   "memory %rsp count 64",
                   "memory %rsp count 8 as hex",
                   "memory &lower count 3 as pointer",
                   "words 1",
                   "regions",
                   "signals",
                   "threads",
                   "processes",
                   "notes",
                   "no_such_command",
                   "value nothing_like_this + 1",
                   "out",
                   "continue"});
}

TEST_P(Windows, HoldAProgramInCpp) {
    expect_to_fit(fixture("questions-gcc"), {"pause at stand_here",
                                             "pause at Barge::~Barge",
                                             "launch",
                                             "stack",
                                             "caller",
                                             "locals",
                                             "source",
                                             "value keepers",
                                             "value waiting",
                                             "value name + 1",
                                             "value levels.push_back(3)",
                                             "type Barge",
                                             "find functions Barge",
                                             "find functions vector all limit 12",
                                             "find types vector limit 8",
                                             "breakpoints",
                                             "continue",
                                             "stack",
                                             "stack all",
                                             "locals",
                                             "words",
                                             "disassembly",
                                             "memory this",
                                             "out"});
}

TEST_P(Windows, HoldAProgramInRust) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    expect_to_fit(fixture("questions-rust"),
                  {"pause at stand_here", "launch", "stack", "stack all", "caller", "locals",
                   "globals", "find functions", "value rates", "value open", "type Gate", "source",
                   "find types Gate", "explain open", "over"});
}

TEST_P(Windows, HoldACrash) {
    expect_to_fit(fixture("trouble-gcc"),
                  {"launch null", "stack", "locals", "registers", "disassembly", "words",
                   "explain here", "launch overrun", "stack", "launch recurse", "stack"},
                  {"null"});
}

INSTANTIATE_TEST_SUITE_P(Widths, Windows, ::testing::Values(60, 80, 100, 160),
                         [](const auto& each) { return "of" + std::to_string(each.param); });

TEST(Window, CutsSourceBeforeItsRemark) {
    auto lines = shown_in(60, fixture("questions-gcc"), {"pause at questions.cpp:47", "launch"});
    auto current = std::find_if(lines.begin(), lines.end(), [](const std::string& line) {
        return line.find("◆") != std::string::npos;
    });
    ASSERT_NE(current, lines.end());
    EXPECT_TRUE(current->ends_with("next to run")) << *current;
    EXPECT_NE(current->find("…"), std::string::npos)
        << "the line is longer than the window: " << *current;
}

TEST(Window, GoesOnBelowBetweenWords) {
    auto lines = shown_in(60, fixture("locks-gcc-O0-dwarf5-pie"), {"help over"});
    std::string all;
    for (const std::string& line : lines) all += std::string(trimmed(line)) + " ";
    EXPECT_NE(all.find("Runs the statement that is next, with everything it calls, inlined or not, "
                       "and stops before the following one"),
              std::string::npos)
        << all;
}

}  // namespace
}  // namespace lantern::testing
