// What people wish for in the first hour: stacks that show both ends, pointers that say what they
// lead to, macros, statics, captures, short words, settings, memory as numbers, a session that a
// program drives.
#include <gtest/gtest.h>

#include <filesystem>
#include <regex>

#include "tests/testing/command.h"
#include "tests/testing/terminal.h"

namespace lantern::testing {
namespace {

const std::string kEveryday = fixture("everyday");

Ran everyday(std::vector<std::string> commands) {
    return debug(kEveryday, commands, {"--stdout", "/dev/null"});
}

bool has(const Ran& ran, const std::string& pattern) {
    return std::regex_search(ran.output, std::regex(pattern));
}

// ---- the stack

TEST(Stack, ShowsBothEndsAndTheRangeOfWhatDiffers) {
    Ran ran = everyday(
        {"pause at deepest", "launch", "stack", "stack 38..42", "-stack 60..70", "-stack many"});
    EXPECT_TRUE(ran.says("the same call 40 times, depth 2 – 41, n = 1 … 40")) << ran.output;
    EXPECT_EQ(ran.output.find("why = 1"), std::string::npos)
        << "what is the same in all calls is not told again";
    EXPECT_TRUE(has(ran, "  through +work = ")) << ran.output;
    EXPECT_TRUE(has(ran,
                    "… [0-9]+ frames of the C\\+\\+ library, [0-9]+ – [0-9]+; stack "
                    "[0-9]+\\.\\.[0-9]+ shows them"))
        << ran.output;
    EXPECT_TRUE(has(ran, "\n   38  depth +n = 37")) << "a part is not folded: " << ran.output;
    EXPECT_TRUE(ran.says("there is no frame 60")) << ran.output;
    EXPECT_TRUE(ran.says("stack takes all, or a part such as 10..60"));
}

TEST(Stack, PlacesStandInOneColumn) {
    Ran ran = everyday({"pause at deepest", "launch", "stack"});
    std::size_t column = 0, rows = 0;
    for (const std::string& line :
         lines_of(ran.output.substr(ran.output.find("innermost first")))) {
        std::size_t at = line.rfind("  everyday.cpp:");
        if (at == std::string::npos) continue;
        std::size_t width = 0;
        for (std::size_t i = 0; i < at; ++i)
            width += (static_cast<unsigned char>(line[i]) & 0xc0) != 0x80;
        if (rows == 0) column = width;
        EXPECT_EQ(width, column) << line;
        ++rows;
    }
    EXPECT_GE(rows, 5u) << ran.output;
}

TEST(Stack, AllShowsEachFrame) {
    Ran ran = everyday({"pause at deepest", "launch", "stack all"});
    EXPECT_EQ(ran.output.find("the same call"), std::string::npos);
    EXPECT_TRUE(has(ran, "std::_Function_handler|std::function")) << ran.output;
    EXPECT_TRUE(has(ran, "  40  depth +n = 39"));
}

// ---- values

TEST(Pointers, SayWhichObjectTheyLeadTo) {
    Ran ran = everyday({"pause at everyday.cpp:64", "launch", "locals", "value &local[4]",
                        "value local[5]", "value local[-1]", "value &flight[1].marks[2]",
                        "value local[3]"});
    for (const char* pattern :
         {"second +0x[0-9a-f]+ \\(local\\[2\\]\\)",
          "end +0x[0-9a-f]+ \\(one past the end of local\\)",
          "inner +0x[0-9a-f]+ \\(one\\.level\\)", "global +0x[0-9a-f]+ \\(flight\\[2\\]\\.level\\)",
          "behind +0x[0-9a-f]+ \\(guard; one past the end of flight\\)",
          "mark +0x[0-9a-f]+ \\(one\\.marks\\[1\\]\\)", "\\(flight\\[1\\]\\.marks\\[2\\]\\)"})
        EXPECT_TRUE(has(ran, pattern)) << pattern << "\n" << ran.output;
    EXPECT_TRUE(ran.says("local has 4 elements, 0 to 3: [4] is the first behind its end"));
    EXPECT_TRUE(ran.says("[5] lies behind its end"));
    EXPECT_TRUE(ran.says("[-1] lies before its beginning"));
    EXPECT_TRUE(has(ran, "local\\[3\\] = 4  int\n")) << "what is within has no remark";
}

TEST(Locals, HaveTheObjectAndTheCaptures) {
    Ran ran = everyday({"pause at Lock::toll", "launch", "locals", "pause at everyday.cpp:47",
                        "continue", "locals", "value id", "value base"});
    EXPECT_TRUE(has(ran, "\\*this +\\{id = 3\\}")) << ran.output;
    EXPECT_TRUE(has(ran, "base +2\\.5")) << ran.output;
    EXPECT_TRUE(ran.says("id = 3  int"));
}

TEST(Statics, OfFunctionsAreNamedByThem) {
    Ran ran =
        everyday({"pause at everyday.cpp:59", "launch", "value count::calls", "value other::calls",
                  "pause on write count::calls", "-value missing::calls"});
    EXPECT_TRUE(ran.says("count::calls = 3  int")) << ran.output;
    EXPECT_TRUE(ran.says("other::calls = 103  int"));
    EXPECT_TRUE(ran.says("by 1 debug register"));
    EXPECT_TRUE(ran.says("nothing here is called missing::calls"));
}

TEST(Results, WhatOutReturnedIsTheLastOne) {
    Ran ran = everyday({"pause at count", "launch", "continue", "continue", "out", "value @ * 10"});
    EXPECT_TRUE(has(ran, "returned  3 from count \\(@1\\)")) << ran.output;
    EXPECT_TRUE(ran.says("@2 @ * 10 = 30"));
}

TEST(Results, WithoutDebugInformationAreTheRegister) {
    Ran ran =
        debug(fixture("locks-nosymbols"), {"pause at factorial once", "launch", "stack", "out"},
              {"--stdout", "/dev/null"});
    EXPECT_TRUE(has(ran, "rax +0x[0-9a-f]+.*, which is what it returned if")) << ran.output;
    EXPECT_TRUE(has(ran, "0  factorial  0x[0-9a-f]+ "))
        << "rows without lines have addresses: " << ran.output;
    EXPECT_TRUE(has(ran, "1  main "));
}

TEST(Conditions, WithNamesThatMeanNothingAreRefusedWhenTheyAreSet) {
    Ran ran =
        everyday({"-pause at count when nn > 3", "-note at other n, callls",
                  "pause at count when n > 1 && count::calls > 0", "-pause at depth when n >",
                  "pause at depth when plugin_level > 3 later", "drop 2", "launch", "value n"});
    EXPECT_TRUE(ran.says("nothing here is called nn\n    nn > 3\n    ▲ here")) << ran.output;
    EXPECT_TRUE(ran.says("nothing here is called callls\n    callls"));
    EXPECT_TRUE(ran.says("did you mean n?; with the word later at the end"));
    EXPECT_TRUE(ran.says("the expression stops where a value is missing"));
    EXPECT_TRUE(ran.says("@1 n = 2"));
}

TEST(Names, OfALibrarysOwnAreNotMetFromOutside) {
    Ran ran = debug(fixture("locks-gcc-O0-dwarf5-pie"),
                    {"reach main", "-value result", "reach factorial", "-value result",
                     "-value stdout", "-value optind"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("@1 result = 0  int")) << ran.output;
    EXPECT_TRUE(ran.says("nothing here is called result"));
    EXPECT_TRUE(ran.says("stdout = ") && ran.says("optind = "))
        << "what it offers is: " << ran.output;
}

TEST(Macros, StandForWhatTheyDoWhereTheProgramStands) {
    std::vector<std::string> programs = {"macros-gcc5", "macros-gcc4", "macros-gccold"};
    if (HAVE_CLANG) programs.push_back("macros-clang5");
    for (const std::string& program : programs) {
        auto said = lines_of(run({fixture(program)}).output);
        ASSERT_EQ(said.at(0), "50 29 24 Wren");
        Ran ran = debug(fixture(program),
                        {"pause at macros.c:13", "launch", "value MOST", "over 2", "value MOST",
                         "value SHARE(draught, 120)", "value LEVEL", "value NAME", "value INT_MAX",
                         "value SHARE(SHARE(50, 100), MOST)", "-value PRINT(1)", "-value PASTE(x)",
                         "-value SHARE(1)", "pause at macros.c:18 when draught > MOST", "continue"},
                        {"--stdout", "/dev/null"});
        EXPECT_TRUE(ran.says("@1 MOST = 12  int") && ran.says("@2 MOST = 24  int"))
            << program << ran.output;
        EXPECT_TRUE(ran.says("SHARE(draught, 120) = 50  int") && ran.says("LEVEL = 29  int") &&
                    ran.says("NAME = \"Wren"))
            << program << ran.output;
        EXPECT_TRUE(ran.says("INT_MAX = 2147483647  int") && ran.says("= 208  int"));
        EXPECT_TRUE(ran.says("PRINT is a macro that is not computed") &&
                    ran.says("it makes names or texts of its arguments") &&
                    ran.says("takes 2 arguments, and 1 is given"));
        EXPECT_TRUE(ran.says("breakpoint 2 ─ main"));
    }
}

TEST(Macros, AreKnownBeforeTheProgramRuns) {
    Ran ran = debug(fixture("macros-gcc5"), {"value MOST", "value MOST * 2"});
    EXPECT_TRUE(ran.says("@1 MOST = 24  int") && ran.says("= 48  int"))
        << "as at the end of the file: " << ran.output;
}

TEST(Macros, AreExplained) {
    for (const char* program : {"macros-gcc5", "macros-gcc4", "macros-gccold"}) {
        Ran ran = debug(fixture(program),
                        {"pause at macros.c:13", "launch", "explain MOST", "explain SHARE",
                         "explain PRINT", "explain NAME", "over 2", "explain MOST"},
                        {"--stdout", "/dev/null"});
        EXPECT_TRUE(has(ran,
                        "MOST .* macro ──\n  is        12\n  type      int, 4 bytes\n  value     "
                        "12\n  declared  macros.c:5\n"))
            << ran.output;
        EXPECT_TRUE(has(ran,
                        "SHARE .* macro ──\n  is        SHARE\\(part, whole\\) → \\(\\(part\\) \\* "
                        "100 / \\(whole\\)\\)\n  declared  macros.c:6\n"))
            << ran.output;
        EXPECT_TRUE(has(ran, "PRINT .* macro ──\n  is        PRINT\\(x\\) → do")) << ran.output;
        EXPECT_TRUE(has(ran, "  is        24\n[^\n]*\n[^\n]*\n  declared  macros.c:15\n"))
            << ran.output;
    }
}

// ---- the machine

TEST(Memory, IsShownAsTheNumbersOfTheExpression) {
    Ran ran = everyday({"pause at everyday.cpp:62", "launch", "memory local",
                        "memory local as u16 count 3", "memory flight all",
                        "memory &local[1] count 2 as i64", "memory local count 2 as bytes",
                        "memory &level as u8 count 4"});
    EXPECT_TRUE(has(ran, "as int ─.*\n  0x[0-9a-f]+  1  2  3  4\n")) << ran.output;
    EXPECT_TRUE(has(ran, "as u16 ─.*\n  0x[0-9a-f]+  1  0  2\n"));
    EXPECT_TRUE(has(
        ran, "as bytes ─.*\n.*01 00 00 00 02 00 00 00 .*\n.*03 00 00 00 04.*\n.*05 00 00 00 06"))
        << "the whole of it: " << ran.output;
    EXPECT_TRUE(has(ran, "as i64 ─.*\n  0x[0-9a-f]+  12884901890  "));
    EXPECT_TRUE(has(ran, "as u8 ─.*\n  0x[0-9a-f]+  3  0  0  0\n"));
}

TEST(Disassembly, ShowsConstantsAsTheInstructionTakesThem) {
    Ran ran = run({LANTERN_PROGRAM, "disassembly", kEveryday, "Lock::toll"});
    EXPECT_TRUE(has(ran, "movsd xmm0, .*  2\\.5\n")) << ran.output;
}

TEST(Find, CountsTheLibrarysInsteadOfListingThem) {
    Ran ran = everyday({"find functions", "find functions for_each all limit 3",
                        "-pause at std::vector<int>::begin"});
    EXPECT_TRUE(ran.says("  Lock::toll")) << ran.output;
    EXPECT_TRUE(
        has(ran, "and [0-9 ]+ of the language's own library; find functions all lists them"))
        << ran.output;
    std::string listed = ran.output.substr(0, ran.output.find("of the language's own library"));
    EXPECT_EQ(listed.find("\n  std::"), std::string::npos) << listed;
    EXPECT_TRUE(ran.says("std::for_each<"));
    EXPECT_TRUE(ran.says("in std::vector<int>::begin"))
        << "as it is shown, it can be typed: " << ran.output;
}

// ---- words, settings, scripts

TEST(ShortWords, StandForCommandsAndTheUsersOwnBeforeThem) {
    TemporaryFolder folder;
    std::filesystem::create_directories(folder.path() / "elm-lantern");
    folder.write("elm-lantern/config.toml",
                 "source_lines = 3\n[words]\nlv = \"value level\"\nv = \"value guard +\"\n");
    std::string line = "env XDG_CONFIG_HOME=" + folder.path().string() + " " + LANTERN_PROGRAM +
                       " debug " + kEveryday +
                       " --stdout /dev/null --do 'pa count' --do launch --do lv --do 'v 1' --do c "
                       "--do st --do lo --do 'help o' --do help";
    Ran ran = run({"sh", "-c", line});
    EXPECT_EQ(ran.status, 0) << ran.output << ran.errors;
    EXPECT_TRUE(ran.says("@1 level = 3  int") && ran.says("@2 guard + 1 = 8")) << ran.output;
    EXPECT_TRUE(ran.says("call stack, innermost first") && ran.says("locals of count"));
    EXPECT_TRUE(ran.says("in short  o\n  example   over 2")) << ran.output;
    EXPECT_TRUE(ran.says("your own words") && ran.says("value level"));
    EXPECT_TRUE(
        has(ran, "breakpoint 1 ─ count ─.*\n     20 .*\n▪1 ◆ 21 .*\n     22 .*\ncount:21 › "))
        << "three lines of source: " << ran.output;
}

TEST(ShortWords, AreTheBeginningOfNoOtherCommandThatIsTypedByIt) {
    Ran ran = run({LANTERN_PROGRAM, "debug", kEveryday, "--do", "help"});
    for (const char* word : {"over (o)", "into (in)", "out (ou)", "continue (c)", "value (v)",
                             "locals (lo)", "stack (st)"})
        EXPECT_TRUE(ran.says(word)) << word;
}

TEST(Settings, AreListedAndWrittenWhereThereAreNone) {
    TemporaryFolder folder;
    auto ask = [&] {
        return run({"sh", "-c",
                    "env XDG_CONFIG_HOME=" + folder.path().string() + " " + LANTERN_PROGRAM +
                        " settings"});
    };
    Ran first = ask();
    EXPECT_EQ(first.status, 0) << first.output;
    EXPECT_TRUE(first.says("it has been written")) << first.output;
    std::string written = folder.read("elm-lantern/config.toml");
    EXPECT_NE(written.find("# source_lines = 6"), std::string::npos) << written;
    EXPECT_TRUE(ask().says("They are read from"));
    // Each comment is a line that may stand there.
    std::string taken =
        std::regex_replace(written, std::regex("(^|\n)# (\\[*[a-z_]+\\]*( = .*)?)(?=\n)"), "$1$2");
    folder.write("elm-lantern/config.toml", taken);
    Ran all = ask();
    EXPECT_EQ(all.status, 0) << all.output << taken;
    EXPECT_TRUE(all.says("servers = [\"https://symbols.example\"]") &&
                all.says("libraries = [\"/opt/canal/lib\"]") && all.says("yours"))
        << all.output;
    for (auto [text, answer] :
         {std::pair{"syntax = \"intel\"\nsource_lines = 0\n",
                    "line 2: source_lines is a number from 1 to 200"},
          {"[words]\nlv = \"valeu\"\n", "line 2: \"lv\" stands for \"valeu\""},
          {"[words]\nover = \"value x\"\n", "is a command already"},
          {"sorce_lines = 3\n", "did you mean source_lines?"}}) {
        folder.write("elm-lantern/config.toml", text);
        Ran wrong = ask();
        EXPECT_EQ(wrong.status, 3) << text;
        EXPECT_TRUE(wrong.says(answer)) << text << wrong.output;
    }
}

TEST(Scripts, SayHowManyCommandsWereNotPlayed) {
    EXPECT_TRUE(everyday({"value level", "nonsense", "value guard", "value level"})
                    .says("2 commands more of --do are not played"));
    TemporaryFolder folder;
    auto script = folder.write("three.lantern", "value level\nnonsense\n# a remark\nvalue guard\n");
    EXPECT_TRUE(run({LANTERN_PROGRAM, "debug", kEveryday, "--script", script.string()})
                    .says("1 command more of " + script.string() + " is not played"));
    EXPECT_TRUE(run({LANTERN_PROGRAM, "debug", kEveryday}, "nonsense\nvalue level\nvalue guard\n")
                    .says("2 commands more of standard input are not played"));
}

TEST(Source, ShowsAShortFunctionWhole) {
    Ran ran = everyday({"source main", "source Lock::toll"});
    EXPECT_TRUE(ran.says("int main() {") && ran.says("return end == nullptr;")) << ran.output;
    EXPECT_TRUE(ran.says("double toll(int weight) {") && ran.says("return add(weight);"));
}

TEST(Source, IsColouredOnATerminalOnly) {
    TemporaryFolder folder;
    unsetenv("NO_COLOR");
    Ran piped = everyday({"source main"});
    EXPECT_EQ(piped.output.find('\x1b'), std::string::npos);
    Ran shown = run({"script", "-qec",
                     std::string(LANTERN_PROGRAM) + " debug " + kEveryday + " --do 'source main'",
                     "/dev/null"});
    if (shown.output.empty()) GTEST_SKIP() << "the program script is not here: SKIPPED";
    EXPECT_NE(shown.output.find("\x1b[38;5;109mint\x1b[0m main() {"), std::string::npos)
        << shown.output;
}

// ---- a program drives a session

TEST(Automation, EachCommandOnStandardInputIsAnswered) {
    Ran ran =
        run({LANTERN_PROGRAM, "debug", kEveryday, "--format", "json", "--stdout", "/dev/null"},
            "pause at count\n\nnonsense\nlaunch\nvalue n\n");
    EXPECT_EQ(ran.status, 1) << "one of them failed";
    EXPECT_TRUE(has(ran,
                    "breakpoint-set.*\n\\{\"kind\":\"answer\",\"command\":1,\"line\":\"pause at "
                    "count\",\"worked\":true\\}"))
        << ran.output;
    EXPECT_TRUE(has(ran,
                    "\"kind\":\"error\".*\n\\{\"kind\":\"answer\",\"command\":3,\"line\":"
                    "\"nonsense\",\"worked\":false\\}"))
        << ran.output;
    EXPECT_TRUE(has(ran, "\"kind\":\"value\".*\n\\{\"kind\":\"answer\",\"command\":5,"))
        << "it goes on: " << ran.output;
}

TEST(Automation, TheExampleInPythonFollowsAProgram) {
    if (run({"python3", "--version"}).status != 0) GTEST_SKIP() << "python3 is not here: SKIPPED";
    Ran ran = run({"python3", SOURCE_FOLDER "/docs/drive_session.py", LANTERN_PROGRAM, kEveryday,
                   "count", "n"});
    EXPECT_EQ(ran.status, 0) << ran.errors;
    EXPECT_TRUE(ran.says("count:21  n = 0\ncount:21  n = 1\ncount:21  n = 2\n")) << ran.output;
    EXPECT_TRUE(ran.says("the program has ended"));
    Ran wrong = run({"python3", SOURCE_FOLDER "/docs/drive_session.py", LANTERN_PROGRAM, kEveryday,
                     "nowhere", "n"});
    EXPECT_NE(wrong.status, 0);
    EXPECT_NE(wrong.errors.find("no function nowhere"), std::string::npos) << wrong.errors;
}

}  // namespace
}  // namespace lantern::testing
